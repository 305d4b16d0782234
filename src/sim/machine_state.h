/* machine_state.h — the inside of a machine, for the simulator and for the chip port in front of it. */
#ifndef OAK_SIM_MACHINE_STATE_H
#define OAK_SIM_MACHINE_STATE_H

#include <oakspindle/machine.h>

#include "isa/isa.h"
#include "periph/gpio.h"

struct oak_machine {
    oak_host host;
    const oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    oak_core *core;
    oak_gpio gpio[OAK_MOST_PORTS];
};

void oak_machine_reset(oak_machine *machine);

#endif
