/* simchip.c — the simulator behind the chip port: what a session sees of it. */
#include "sim/machine_state.h"

#include "base/bytes.h"

static const oak_part *chip_part(void *chip)
{
    return ((oak_machine *)chip)->part;
}

static oak_status chip_reset(void *chip)
{
    oak_machine_reset(chip);
    return OAK_OK;
}

static oak_status chip_run(void *chip, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop)
{
    oak_machine *machine = chip;
    machine->isa->core->run(machine->core, until_cycle, until_instruction, stop);
    return machine->lost ? OAK_NO_MEMORY : OAK_OK;
}

static oak_status chip_read_register(void *chip, unsigned reg, uint32_t *value)
{
    oak_machine *machine = chip;
    return machine->isa->core->read_register(machine->core, reg, value);
}

static oak_status chip_write_register(void *chip, unsigned reg, uint32_t value)
{
    oak_machine *machine = chip;
    return machine->isa->core->write_register(machine->core, reg, value);
}

static oak_status chip_read_memory(void *chip, unsigned space, uint32_t address, uint8_t *bytes, size_t count)
{
    oak_machine *machine = chip;
    oak_status status = machine->isa->core->read_memory(machine->core, space, address, bytes, count);
    if (status == OAK_OUT_OF_RANGE && machine->stored && space == machine->isa->about.code_space)
        status = oak_machine_read_device(machine, address, bytes, count);
    return status;
}

static oak_status chip_write_memory(void *chip, unsigned space, uint32_t address, const uint8_t *bytes,
                                    size_t count)
{
    oak_machine *machine = chip;
    oak_status status = machine->isa->core->write_memory(machine->core, space, address, bytes, count);
    if (status == OAK_OUT_OF_RANGE && machine->stored && space == machine->isa->about.code_space)
        status = oak_machine_write_device(machine, address, bytes, count);
    return status;
}

static oak_gpio *gpio_of(oak_machine *machine, unsigned pin)
{
    unsigned port = pin / OAK_MOST_PINS;
    if (port >= machine->part->port_count || pin % OAK_MOST_PINS >= machine->part->ports[port].pin_count)
        return NULL;
    return &machine->gpio[port];
}

static oak_status chip_read_pin(void *chip, unsigned pin, oak_pin *state)
{
    const oak_gpio *gpio = gpio_of(chip, pin);
    if (!gpio) return OAK_OUT_OF_RANGE;
    oak_machine_catch_up(chip);
    *state = oak_gpio_pin(gpio, pin % OAK_MOST_PINS);
    return OAK_OK;
}

static oak_status chip_drive_pin(void *chip, unsigned pin, oak_level level)
{
    oak_gpio *gpio = gpio_of(chip, pin);
    if (!gpio) return OAK_OUT_OF_RANGE;
    oak_machine_catch_up(chip);
    oak_gpio_drive(gpio, pin % OAK_MOST_PINS, level);
    oak_machine_pins(chip, pin / OAK_MOST_PINS, oak_machine_moment(chip));
    return OAK_OK;
}

static oak_status chip_set_stop(void *chip, uint32_t address, bool on)
{
    oak_machine *machine = chip;
    return machine->isa->core->set_stop(machine->core, address, on);
}

static oak_status chip_read_time(void *chip, oak_chip_time *time)
{
    oak_machine *machine = chip;
    *time = *machine->isa->core->time(machine->core);
    return OAK_OK;
}

static oak_status chip_write_time(void *chip, const oak_chip_time *time)
{
    oak_machine *machine = chip;
    *machine->isa->core->time(machine->core) = *time;
    machine->moment = time->cycles;
    for (unsigned i = 0; i < machine->part->block_count; i++) machine->block[i].next = 0;
    machine->next = 0;
    if (machine->isa->core->attend) machine->isa->core->attend(machine->core);
    return OAK_OK;
}

static oak_status chip_idle(void *chip, uint64_t until_cycle)
{
    oak_machine *machine = chip;
    if (!machine->isa->core->idle) return OAK_UNSUPPORTED;
    machine->isa->core->idle(machine->core, until_cycle);
    return OAK_OK;
}

static oak_status chip_visit_state(void *chip, const oak_state_visitor *visitor)
{
    return oak_machine_visit(chip, visitor);
}

static oak_status chip_served(void *chip, uint32_t *vector)
{
    oak_machine *machine = chip;
    if (!machine->isa->core->exception) return OAK_UNSUPPORTED;
    *vector = machine->isa->core->exception(machine->core);
    if (machine->isa->about.vector_bytes) *vector *= machine->isa->about.vector_bytes;
    return OAK_OK;
}

static oak_status chip_mark_object(void *chip, unsigned space, uint32_t address, uint32_t size)
{
    oak_machine *machine = chip;
    if (!machine->isa->core->mark_object) return OAK_UNSUPPORTED;
    return machine->isa->core->mark_object(machine->core, space, address, size);
}

static oak_status chip_tape(void *chip, oak_tape *tape)
{
    return oak_machine_tape(chip, tape);
}

static oak_status chip_watch(void *chip, const oak_watched *cells, unsigned count)
{
    oak_machine *machine = chip;
    if (!machine->isa->core->watch) return OAK_UNSUPPORTED;
    return machine->isa->core->watch(machine->core, cells, count);
}

static oak_status chip_judge(void *chip, const oak_judge *judge)
{
    oak_machine *machine = chip;
    if (!machine->isa->core->judge) return OAK_UNSUPPORTED;
    return machine->isa->core->judge(machine->core, judge);
}

static unsigned chip_touches(void *chip, oak_watched *list, unsigned room)
{
    oak_machine *machine = chip;
    return machine->isa->core->touches ? machine->isa->core->touches(machine->core, list, room) : 0;
}

static oak_status chip_count(void *chip, bool on)
{
    oak_machine *machine = chip;
    return machine->isa->core->count ? machine->isa->core->count(machine->core, on) : OAK_UNSUPPORTED;
}

static oak_status chip_counted(void *chip, uint32_t address, oak_tally *tally)
{
    const oak_machine *machine = chip;
    return machine->isa->core->counted ? machine->isa->core->counted(machine->core, address, tally)
                                       : OAK_UNSUPPORTED;
}

static oak_status chip_external(void *chip, unsigned space, const oak_external *ranges, unsigned count)
{
    oak_machine *machine = chip;
    if (!machine->isa->core->external) return OAK_UNSUPPORTED;
    return machine->isa->core->external(machine->core, space, ranges, count);
}

static void chip_halt(void *chip)
{
    oak_machine *machine = chip;
    machine->isa->core->halt(machine->core);
}

static oak_status chip_service(void *chip, unsigned index, oak_service *service)
{
    oak_machine *machine = chip;
    if (!machine->isa->core->services) return OAK_UNSUPPORTED;
    const oak_service_log *log = machine->isa->core->services(machine->core);
    for (unsigned number = 0; number < OAK_MOST_SERVED; number++) {
        if (!log->count[number] || index--) continue;
        *service = (oak_service){.vector = log->vector[number],
                                 .count = log->count[number],
                                 .cycles = log->cycles[number],
                                 .longest = log->longest[number],
                                 .waits = log->waits[number],
                                 .waited = log->waited[number],
                                 .shortest_wait = log->shortest_wait[number],
                                 .longest_wait = log->longest_wait[number]};
        return OAK_OK;
    }
    return OAK_NOT_FOUND;
}

static oak_status chip_sent_at(void *chip, unsigned line, uint64_t *cycles, size_t room, size_t *count)
{
    oak_machine *machine = chip;
    oak_machine_catch_up(machine);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        if (!oak_block_sends(machine->part->blocks[i].kind) || line--) continue;
        const oak_sent *sent = &machine->block[i].sent;
        *count = sent->count < room ? sent->count : room;
        if (*count) memcpy(cycles, sent->cycles, *count * sizeof *cycles);
        return OAK_OK;
    }
    return OAK_OUT_OF_RANGE;
}

static oak_status chip_attach(void *chip, const oak_outside *outside)
{
    oak_machine *machine = chip;
    if (machine->outside != outside) oak_machine_remember_pins(machine);
    machine->outside = outside;
    machine->outside_next = machine->next = 0;
    if (machine->isa->core->attend) machine->isa->core->attend(machine->core);
    return OAK_OK;
}

static oak_status chip_take_output(void *chip, unsigned line, uint8_t *bytes, size_t room, size_t *count)
{
    oak_machine *machine = chip;
    oak_machine_catch_up(machine);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        if (!oak_block_sends(machine->part->blocks[i].kind) || line--) continue;
        oak_sent *sent = &machine->block[i].sent;
        *count = sent->count < room ? sent->count : room;
        if (*count) memcpy(bytes, sent->bytes, *count);
        sent->count -= *count;
        if (sent->count) {
            memmove(sent->bytes, sent->bytes + *count, sent->count);
            memmove(sent->cycles, sent->cycles + *count, sent->count * sizeof *sent->cycles);
        }
        return OAK_OK;
    }
    return OAK_OUT_OF_RANGE;
}

oak_chip_port oak_machine_port(oak_machine *machine)
{
    if (!machine) return (oak_chip_port){0};
    static const oak_chip_ops ops = {
        .part = chip_part,
        .reset = chip_reset,
        .run = chip_run,
        .read_register = chip_read_register,
        .write_register = chip_write_register,
        .read_memory = chip_read_memory,
        .write_memory = chip_write_memory,
        .read_pin = chip_read_pin,
        .drive_pin = chip_drive_pin,
        .set_stop = chip_set_stop,
        .read_time = chip_read_time,
        .write_time = chip_write_time,
        .idle = chip_idle,
        .visit_state = chip_visit_state,
        .take_output = chip_take_output,
        .attach = chip_attach,
        .halt = chip_halt,
        .served = chip_served,
        .service = chip_service,
        .external = chip_external,
        .count = chip_count,
        .counted = chip_counted,
        .watch = chip_watch,
        .judge = chip_judge,
        .touches = chip_touches,
        .tape = chip_tape,
        .mark_object = chip_mark_object,
        .sent_at = chip_sent_at,
    };
    return (oak_chip_port){.chip = machine, .ops = &ops};
}
