/* machine.h — one simulated chip: an instruction-set core, its memories, its special registers and pins.
 *
 * A machine can be used by itself, or through the chip port that oak_machine_port makes of it. Any number of machines
 * live side by side; one machine belongs to one thread at a time. Simulation is exact and deterministic: the same
 * image, part and inputs give the same cycles, pins and bytes. */
#ifndef OAKSPINDLE_MACHINE_H
#define OAKSPINDLE_MACHINE_H

#include <oakspindle/image.h>
#include <oakspindle/part.h>
#include <oakspindle/port.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_machine oak_machine;

/* Makes a machine of a part and resets it; all code memory is unprogrammed. The host and the part must outlive it.
 * OAK_NO_MEMORY, OAK_UNSUPPORTED when the architecture cannot be simulated, OAK_OUT_OF_RANGE when a memory of the part is larger than
 * its space or than OAK_LARGEST_MEMORY. */
OAK_MUST_USE oak_status oak_machine_create(const oak_host *host, const oak_part *part, oak_machine **machine);
/* Frees the machine; NULL is allowed. */
void oak_machine_free(oak_machine *machine);

/* Programs the image into code memory, over what is there. Returns OAK_OUT_OF_RANGE with *outside set to the first byte
 * the part has no memory for (nothing of that run of bytes is programmed). */
OAK_MUST_USE oak_status oak_machine_load(oak_machine *machine, const oak_image *image, uint32_t *outside);

/* Tells which bytes of code memory are data: executing them is a fault from now on. */
void oak_machine_mark_data(oak_machine *machine, uint32_t address, uint32_t count);
/* Makes reading memory that nothing has written since reset a fault, where the architecture can watch it. To be called before
 * the run; reading costs more time while it is on. OAK_UNSUPPORTED. */
OAK_MUST_USE oak_status oak_machine_check_reads(oak_machine *machine, bool on);
/* A byte arrives at a serial port, counted from 0. OAK_OUT_OF_RANGE when there is none. */
OAK_MUST_USE oak_status oak_machine_receive(oak_machine *machine, unsigned line, uint8_t byte);

/* The machine as a chip port. It lives as long as the machine. */
oak_chip_port oak_machine_port(oak_machine *machine);

#ifdef __cplusplus
}
#endif
#endif
