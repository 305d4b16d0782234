/* machine_state.h — the inside of a machine, for the simulator and for the chip port in front of it. */
#ifndef OAK_SIM_MACHINE_STATE_H
#define OAK_SIM_MACHINE_STATE_H

#include <oakspindle/machine.h>

#include "isa/isa.h"
#include "periph/block.h"

enum { OAK_MOST_MEMORIES = 16 };

struct oak_machine {
    oak_host host;
    oak_image *loaded; /* what a loader puts into RAM before the program begins, by byte addresses; or NULL */
    const oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    oak_core *core;
    oak_gpio gpio[OAK_MOST_PORTS];
    oak_block_services services;
    oak_block block[OAK_MOST_BLOCKS];
    /* Which roles each register has: those of register n are bindings[first_binding[n]] up to the next one's. */
    struct oak_binding {
        uint16_t block, role; /* role: its index in the block's description */
    } * bindings;
    uint16_t *first_binding;
    unsigned binding_count;
    unsigned used_last; /* the register that an access of the core found last: only to find it sooner */
    oak_block *first_of[OAK_BLOCK_KINDS];
    /* What stands behind the cells of each space of special registers; NULL where a space is none. */
    struct oak_special {
        int8_t port;    /* whose latch it is, or -1 */
        int16_t number; /* of the register with roles, or -1 */
        bool present;   /* the part has a register there */
    } * special[OAK_MOST_SPACES];
    const oak_outside *outside;
    uint64_t outside_next, next; /* cycles at which the outside, or anything, has something to do */
    uint64_t moment;             /* the cycle that is being looked at */
    bool advancing, resetting;
    bool telling;     /* the outside, of a pin: what it does then happens at `moment` */
    unsigned stopped; /* clocks of devices that stand still, a bit each */
    bool lost;        /* there was no memory for something the program has done */
    uint64_t touched; /* counts whatever may change a register but by its course; see sim_touch */
    uint64_t known;   /* of the core: 0 since it was touched */
    uint32_t levels[OAK_MOST_PORTS]; /* as the blocks know them */
    uint32_t fights[OAK_MOST_PORTS]; /* pins that chip and outside drive against each other */
    uint32_t shown[OAK_MOST_PORTS], floats[OAK_MOST_PORTS]; /* as the outside knows them */
    uint32_t *stored; /* of each register of the part: what was last written, for what has no role */
};

/* Something may change now that nobody could have known of. */
static inline void sim_touch(oak_machine *machine)
{
    machine->touched++;
    machine->known = 0;
}
/* Brings every device to the machine's own time. */
void oak_machine_catch_up(oak_machine *machine);
/* Registers outside the memories and the core: as the program would see them, without effects. */
OAK_MUST_USE oak_status oak_machine_read_device(oak_machine *machine, uint32_t address, uint8_t *bytes,
                                                size_t count);
OAK_MUST_USE oak_status oak_machine_write_device(oak_machine *machine, uint32_t address, const uint8_t *bytes,
                                                 size_t count);
/* The pins of a port may have changed at the beginning of the cycle `now`. */
void oak_machine_pins(oak_machine *machine, unsigned port, uint64_t now);
/* What the outside has been told of the pins from now on: all of it. */
void oak_machine_remember_pins(oak_machine *machine);
/* Now, or the cycle that is being looked at. */
uint64_t oak_machine_moment(oak_machine *machine);

void oak_machine_reset(oak_machine *machine);

/* Goes through all that it remembers beside registers and memory, by name; and saves or brings back the whole (state.c). */
OAK_MUST_USE oak_status oak_machine_visit(oak_machine *machine, const oak_state_visitor *visitor);
OAK_MUST_USE oak_status oak_machine_tape(oak_machine *machine, oak_tape *tape);

/* ------------------------------------------------------------------------------------------ between the files */

/* registers.c */
bool sim_has_special_space(const oak_machine *machine);
size_t sim_special_count(const oak_space_info *space);
bool sim_find_specials(oak_machine *machine);
oak_cell_kind sim_cell_kind(void *context, unsigned space, uint32_t address);
/* A register has got a value: where it is a port without a port block, this is its latch. */
void sim_set_port(oak_machine *machine, unsigned number, uint32_t value, uint64_t now);
bool sim_outside_acts(void *context);
const oak_part_register *sim_register_over(oak_machine *machine, uint32_t address, unsigned *number);
uint32_t sim_field_mask(unsigned width);
void sim_call_attention(oak_machine *machine);
/* How a register of a device goes on from now on, as long as `touched` stands. OAK_UNSUPPORTED where nobody knows. */
OAK_MUST_USE oak_status sim_course(void *context, unsigned space, uint32_t address, size_t count,
                                   oak_course *course);
/* The pins of a port that are not low, a bit each. */
uint32_t sim_pins(void *context, unsigned port);
uint64_t sim_advance(void *context, uint64_t now);
uint64_t sim_now_of(oak_machine *machine);
uint32_t sim_register_value(
    oak_machine *machine, unsigned number, uint32_t value, uint64_t now, bool latch,
    uint32_t
        asked); /* latch: what comes back is written again; asked: the bits an instruction looks at; 0: none does */
uint32_t sim_device_read(void *context, unsigned space, uint32_t address, uint32_t stored, bool latch,
                         uint32_t asked, uint64_t now);
void sim_device_write(void *context, unsigned space, uint32_t address, uint32_t value, uint64_t now);
OAK_MUST_USE oak_status sim_bus_read(void *context, uint32_t address, unsigned bytes, uint64_t now,
                                     uint32_t *value);
OAK_MUST_USE oak_status sim_bus_write(void *context, uint32_t address, unsigned bytes, uint32_t value,
                                      uint64_t now);
uint64_t sim_resets_at(void *context);
void sim_clocks(void *context, unsigned stopped, uint64_t now);
void sim_raise_line(void *context, unsigned line, bool level, uint64_t from);
uint64_t sim_acknowledge(void *context, unsigned line, uint64_t now);
bool sim_notice(oak_machine *machine, const oak_notice *what, bool otherwise);
oak_notice sim_make_notice(oak_machine *machine, oak_fault fault, unsigned space, uint32_t address,
                           uint64_t now);
void sim_suffer(void *context, oak_fault fault, uint32_t address, uint64_t now);
bool sim_suffer_in_core(void *context, oak_fault fault, unsigned space, uint32_t address, uint64_t now);

/* pins.c */
void sim_put(void *context, unsigned pin, bool drives, bool high, uint64_t now);
bool sim_level_of(void *context, unsigned pin);
oak_block *sim_first_of(void *context, oak_block_kind kind);

#endif
