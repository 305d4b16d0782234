/* framed_serial_block.c — the serial port of the MCS-51 in its four modes, as its hardware manual describes them ("Serial
 * Interface").
 *
 *   mode 0   8 bits, clocked out or in, a bit a machine cycle      mode 2   start, 8 bits, a ninth, stop; clock / 64 or / 32
 *   mode 1   start, 8 bits, stop; the rate comes from a timer      mode 3   as mode 2, with the rate from a timer
 *
 * A bit lasts sixteen ticks. Ticks are overflows of timer 1 (every second one unless `double`), overflows of the capture
 * timer where that is chosen as a clock, or, in mode 2, cycles of the oscillator. A byte to send begins at the next multiple
 * of sixteen ticks; its `sent` flag comes with its stop bit. The receiver begins to count its own sixteen ticks with the
 * falling edge of a start bit and takes the majority of the samples at ticks 7, 8 and 9 of each bit. */
#include "periph/block.h"

enum { SIXTEEN = 16, SENDER = 0, RECEIVER = 1, CLOCKS_PER_CYCLE = 12 };

static unsigned mode_of(const oak_framed_serial *port)
{
    return (unsigned)port->mode_high << 1 | port->mode_low;
}

/* ------------------------------------------------------------------------------------------ ticks */

static oak_block *timer_of(const oak_block *block, const oak_bit_clock *clock)
{
    oak_block_kind kind = clock->second ? OAK_BLOCK_CAPTURE_TIMER : OAK_BLOCK_TIMER_PAIR;
    return block->services->first_of(block->services->machine, kind);
}

static oak_counter *counter_of(const oak_block *block, const oak_bit_clock *clock)
{
    oak_block *timer = timer_of(block, clock);
    if (!timer) return NULL;
    return clock->second ? &timer->as.capture.counter : &timer->as.pair.counter[1];
}

static uint64_t overflows_at(const oak_block *block, const oak_bit_clock *clock, uint64_t now)
{
    oak_counter *counter = counter_of(block, clock);
    if (!counter) return 0;
    oak_counter there = *counter;
    oak_counter_settle(&there, now);
    return there.overflows;
}

/* Mode 2 has its ticks from the oscillator: one every two of its cycles, or every four. */
static uint64_t clocks_per_tick(const oak_framed_serial *port)
{
    return port->doubled ? 2 : 4;
}

static uint64_t ticks_at(const oak_block *block, unsigned side, uint64_t now)
{
    const oak_framed_serial *port = &block->as.framed;
    const oak_bit_clock *clock = &port->clock[side];
    if (mode_of(port) == 2) return now * CLOCKS_PER_CYCLE / clocks_per_tick(port);
    return clock->ticks + ((overflows_at(block, clock, now) - clock->base) >> clock->halved);
}

static uint64_t time_of(const oak_block *block, unsigned side, uint64_t tick)
{
    const oak_framed_serial *port = &block->as.framed;
    const oak_bit_clock *clock = &port->clock[side];
    if (mode_of(port) == 2) return (tick * clocks_per_tick(port) + CLOCKS_PER_CYCLE - 1) / CLOCKS_PER_CYCLE;
    const oak_counter *counter = counter_of(block, clock);
    if (!counter) return UINT64_MAX;
    return oak_counter_time(counter, clock->base + ((tick - clock->ticks) << clock->halved));
}

/* Takes note of which clock counts from now on. */
static void choose_clocks(oak_block *block, uint64_t now)
{
    oak_framed_serial *port = &block->as.framed;
    const oak_block *second = block->services->first_of(block->services->machine, OAK_BLOCK_CAPTURE_TIMER);
    for (unsigned side = 0; side < 2; side++) {
        oak_bit_clock *clock = &port->clock[side];
        bool other =
            second && (side == SENDER ? second->as.capture.send_clock : second->as.capture.receive_clock);
        bool halved = !other && !port->doubled;
        if (clock->second == other && clock->halved == halved) continue;
        uint64_t ticks = clock->ticks + ((overflows_at(block, clock, now) - clock->base) >> clock->halved);
        *clock = (oak_bit_clock){.second = other, .halved = halved, .ticks = ticks};
        clock->base = overflows_at(block, clock, now);
    }
}

/* ------------------------------------------------------------------------------------------ sending */

static void put(oak_block *block, unsigned use, bool drives, bool high, uint64_t now)
{
    uint16_t pin = block->about->uses[use];
    if (pin != OAK_NO_PIN) block->services->put(block->services->machine, pin, drives, high, now);
}

static void ask(oak_block *block, uint64_t from)
{
    const oak_framed_serial *port = &block->as.framed;
    oak_block_ask(block, 0, port->sent || port->received, from);
}

static void begin(oak_block *block, uint8_t byte, uint64_t now)
{
    oak_framed_serial *port = &block->as.framed;
    unsigned mode = mode_of(port);
    port->sending = true;
    port->sending_byte = byte;
    port->bit = 0;
    if (mode == 0) {
        port->frame = byte;
        port->frame_bits = 8;
        port->next_bit = now + 1; /* a whole cycle passes first */
        return;
    }
    bool nine = mode != 1;
    port->frame = (uint16_t)(byte << 1 | (nine ? port->ninth_out << 9 | 1 << 10 : 1 << 9));
    port->frame_bits = nine ? 11 : 10;
    port->next_bit = (ticks_at(block, SENDER, now) / SIXTEEN + 1) * SIXTEEN;
}

static uint64_t next_sending(const oak_block *block)
{
    const oak_framed_serial *port = &block->as.framed;
    if (!port->sending) return UINT64_MAX;
    return mode_of(port) ? time_of(block, SENDER, port->next_bit) : port->next_bit;
}

static void send_bit(oak_block *block, uint64_t at)
{
    oak_framed_serial *port = &block->as.framed;
    bool shift = mode_of(port) == 0;
    if (shift && port->bit >= port->frame_bits) {
        put(block, OAK_FRAMED_RECEIVE_PIN, false, true, at);
        port->sending = false;
        port->sent = true;
    } else if (
        shift) { /* data on the receive pin, the clock, which goes low and high within the cycle, on the other */
        put(block, OAK_FRAMED_RECEIVE_PIN, true, port->frame >> port->bit & 1, at);
        put(block, OAK_FRAMED_SEND_PIN, true, false, at);
        put(block, OAK_FRAMED_SEND_PIN, false, true, at);
        port->bit++;
        port->next_bit = at + 1;
        return;
    } else {
        bool last = port->bit + 1 >= port->frame_bits;
        put(block, OAK_FRAMED_SEND_PIN, !last, port->frame >> port->bit & 1, at);
        port->bit++;
        port->next_bit += SIXTEEN;
        if (!last) return;
        port->sending = false;
        port->sent = true;
    }
    oak_serial_keep(block, port->sending_byte, at);
    ask(block, at + 2);
}

/* ------------------------------------------------------------------------------------------ receiving */

static uint64_t next_receiving(const oak_block *block)
{
    const oak_framed_serial *port = &block->as.framed;
    if (!port->receiving) return UINT64_MAX;
    return mode_of(port) ? time_of(block, RECEIVER, port->next_sample) : port->next_sample;
}

static bool line_high(const oak_block *block)
{
    uint16_t pin = block->about->uses[OAK_FRAMED_RECEIVE_PIN];
    return pin == OAK_NO_PIN || block->services->level(block->services->machine, pin);
}

/* A frame is whole: its byte is taken unless the last one is still there, or it is for another station. */
static void take(oak_block *block, uint8_t byte, bool ninth, uint64_t at)
{
    oak_framed_serial *port = &block->as.framed;
    if (mode_of(port) == 1 && !ninth)
        block->services->suffer(block->services->machine, OAK_FAULT_FRAMING, byte, at);
    if (port->received) {
        block->services->suffer(block->services->machine, OAK_FAULT_OVERRUN, byte, at);
        return;
    }
    if (port->stations && !ninth) return;
    port->data = byte;
    port->ninth_in = ninth;
    port->received = true;
    ask(block, at + 2);
}

static void begin_receiving(oak_block *block, uint64_t now)
{
    oak_framed_serial *port = &block->as.framed;
    port->receiving = true;
    port->in_bit = port->sample = port->ones = 0;
    port->in_frame = 0;
    if (mode_of(port) == 0) {
        port->next_sample = now + 1;
        return;
    }
    uint64_t tick = ticks_at(block, RECEIVER, now);
    if (time_of(block, RECEIVER, tick) < now) tick++; /* the sampling looks at the line at a tick */
    port->next_sample = tick + 7;
}

/* Eight cycles in a row the clock goes low (S3P1), the pin is looked at (S5P2), and the clock goes high (S6P1): the second and the
 * third of a cycle are done at its end, when everything that has happened in it has. */
static void take_shifted_bit(oak_block *block, uint64_t at)
{
    oak_framed_serial *port = &block->as.framed;
    bool first = !port->sample;
    port->sample = 1;
    port->next_sample = at + 1;
    if (!first) {
        port->in_frame = (uint16_t)(port->in_frame | line_high(block) << port->in_bit++);
        put(block, OAK_FRAMED_SEND_PIN, false, true, at);
    }
    if (port->in_bit < 8) {
        put(block, OAK_FRAMED_SEND_PIN, true, false, at);
        return;
    }
    port->receiving = false;
    port->data = (uint8_t)port->in_frame;
    port->received = true;
    ask(block, at + 2);
}

static void take_sample(oak_block *block, uint64_t at)
{
    oak_framed_serial *port = &block->as.framed;
    port->ones = (uint8_t)(port->ones + line_high(block));
    if (++port->sample < 3) {
        port->next_sample++;
        return;
    }
    bool high = port->ones >= 2;
    port->sample = port->ones = 0;
    port->next_sample += SIXTEEN - 2;
    if (port->in_bit == 0 && high) {
        port->receiving = false; /* no start bit after all */
        return;
    }
    if (port->in_bit >= 10) { /* the stop bit of mode 2 or 3: what it is does not matter */
        port->receiving = false;
        return;
    }
    if (port->in_bit) port->in_frame = (uint16_t)(port->in_frame | high << (port->in_bit - 1));
    if (++port->in_bit <= 9) return;
    port->receiving = mode_of(port) != 1; /* the stop bit is still to come */
    take(block, (uint8_t)port->in_frame, port->in_frame >> 8 & 1, at);
}

static void pins(oak_block *block, uint64_t now)
{
    oak_framed_serial *port = &block->as.framed;
    bool before = port->line_high;
    port->line_high = line_high(block);
    if (port->receive && !port->receiving && mode_of(port) && before && !port->line_high)
        begin_receiving(block, now);
}

void oak_framed_serial_receive(oak_block *block, uint8_t byte, uint64_t now)
{
    if (block->as.framed.receive) take(block, byte, true, now);
}

/* ------------------------------------------------------------------------------------------ the block */

static void reset(oak_block *block, uint64_t now)
{
    oak_framed_serial *port = &block->as.framed;
    *port = (oak_framed_serial){0};
    for (unsigned side = 0; side < 2; side++) {
        port->clock[side].halved = true;
        port->clock[side].base = overflows_at(block, &port->clock[side], now);
    }
    port->line_high = line_high(block);
    put(block, OAK_FRAMED_RECEIVE_PIN, false, true, now);
    put(block, OAK_FRAMED_SEND_PIN, false, true, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_framed_serial *port = &block->as.framed;
    (void)now;
    switch (role) {
    case OAK_FRAMED_MODE_HIGH: return port->mode_high;
    case OAK_FRAMED_MODE_LOW: return port->mode_low;
    case OAK_FRAMED_STATIONS: return port->stations;
    case OAK_FRAMED_RECEIVE: return port->receive;
    case OAK_FRAMED_NINTH_OUT: return port->ninth_out;
    case OAK_FRAMED_NINTH_IN: return port->ninth_in;
    case OAK_FRAMED_SENT: return port->sent;
    case OAK_FRAMED_RECEIVED: return port->received;
    case OAK_FRAMED_DATA: return port->data;
    default: return port->doubled;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_framed_serial *port = &block->as.framed;
    bool on = value != 0;
    switch (role) {
    case OAK_FRAMED_MODE_HIGH: port->mode_high = on; break;
    case OAK_FRAMED_MODE_LOW: port->mode_low = on; break;
    case OAK_FRAMED_STATIONS: port->stations = on; break;
    case OAK_FRAMED_RECEIVE: port->receive = on; break;
    case OAK_FRAMED_NINTH_OUT: port->ninth_out = on; break;
    case OAK_FRAMED_NINTH_IN: port->ninth_in = on; break;
    case OAK_FRAMED_SENT: port->sent = on; break;
    case OAK_FRAMED_RECEIVED: port->received = on; break;
    case OAK_FRAMED_DATA: begin(block, (uint8_t)value, now); break;
    default: port->doubled = on; break;
    }
    if (!port->receive) {
        if (port->receiving && mode_of(port) == 0) put(block, OAK_FRAMED_SEND_PIN, false, true, now);
        port->receiving = false;
    }
    choose_clocks(block, now);
    return true;
}

static void written(oak_block *block, uint64_t now)
{
    const oak_framed_serial *port = &block->as.framed;
    /* In mode 0 receiving begins when the receiver is on and `received` is 0, whichever came last. */
    if (mode_of(port) == 0 && port->receive && !port->received && !port->receiving) {
        begin_receiving(block, now);
        if (now + 1 < block->next) block->next = now + 1;
    }
    ask(block, now + 1);
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    uint64_t at;
    choose_clocks(block, now);
    while ((at = next_sending(block)) <= now) send_bit(block, at);
    uint64_t next = at;
    while ((at = next_receiving(block)) <= now) {
        if (mode_of(&block->as.framed)) take_sample(block, at);
        else take_shifted_bit(block, at);
    }
    return at < next ? at : next;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_framed_serial *it = &block->as.framed;
    OAK_VISIT(it, mode_high, bool)
    OAK_VISIT(it, mode_low, bool)
    OAK_VISIT(it, stations, bool)
    OAK_VISIT(it, receive, bool)
    OAK_VISIT(it, ninth_out, bool)
    OAK_VISIT(it, ninth_in, bool)
    OAK_VISIT(it, sent, bool)
    OAK_VISIT(it, received, bool)
    OAK_VISIT(it, doubled, bool)
    OAK_VISIT(it, data, uint8_t)
#define CLOCK(n)                                                                                             \
    OAK_VISIT(it, clock[n].second, bool)                                                                     \
    OAK_VISIT(it, clock[n].halved, bool)                                                                     \
    OAK_VISIT(it, clock[n].base, uint64_t)                                                                   \
    OAK_VISIT(it, clock[n].ticks, uint64_t)
    CLOCK(0)
    CLOCK(1)
#undef CLOCK
    OAK_VISIT(it, sending, bool)
    OAK_VISIT(it, sending_byte, uint8_t)
    OAK_VISIT(it, frame, uint16_t)
    OAK_VISIT(it, frame_bits, uint8_t)
    OAK_VISIT(it, next_bit, uint64_t)
    OAK_VISIT(it, bit, uint8_t)
    OAK_VISIT(it, receiving, bool)
    OAK_VISIT(it, sample, uint8_t)
    OAK_VISIT(it, ones, uint8_t)
    OAK_VISIT(it, in_bit, uint8_t)
    OAK_VISIT(it, in_frame, uint16_t)
    OAK_VISIT(it, next_sample, uint64_t)
    OAK_VISIT(it, line_high, bool)
    oak_block_visit_lines(block, visitor, 1);
    it->bit &= 15;
    it->in_bit &= 15;
}

const oak_block_ops oak_framed_serial_block = {reset, get,  set,     advance, visit,
                                               pins,  NULL, written, NULL,    oak_block_stands};
