/* vectored.h — what cores share that begin where a vector leads, have interrupt lines and vectors of their own, and keep code, data and stack in one
 * memory: members of an oak_core called objects, stack and lines. */
#ifndef OAK_ISA_KIT_VECTORED_H
#define OAK_ISA_KIT_VECTORED_H

#include "isa/kit/filed.h"
#include "isa/kit/stack.h"

/* Is a vector to be read: nothing has run since reset, and it is there? */
bool kit_entered_by(const oak_core *core, uint32_t vector);
/* For a kit_arch: the first instruction is that of the vector `kit.entry`, or where somebody has put pc. */
bool kit_starts(oak_core *core);
/* Serves the highest line that asks and is let through (`enabled`); the vectors lie in the order of lines. */
bool kit_vectored_interrupt(oak_core *core);
/* Pushes a return address and the registers that about.stack says are saved, the last one first. False with the fault set; then nothing has moved. */
bool kit_push_frame(oak_core *core, uint32_t back, uint64_t now);
uint64_t kit_vectored_notice(oak_core *core);
bool kit_vectored_deaf(const oak_core *core);
/* For oak_core_ops. A register that is not kept in one place is the status. The exception is the address of the vector, in vectors. */
void kit_own_line(oak_core *core, unsigned line, bool level, uint64_t from);
oak_status kit_own_read(const oak_core *core, unsigned reg, uint32_t *value);
oak_status kit_own_write(oak_core *core, unsigned reg, uint32_t value);
unsigned kit_own_vector(const oak_core *core);
oak_status kit_own_object(oak_core *core, unsigned space, uint32_t address, uint32_t size);

#define KIT_VECTORED                                                                                         \
    .objects = offsetof(oak_core, objects), .stack = offsetof(oak_core, stack),                              \
    .lines = offsetof(oak_core, lines), .interrupt = kit_vectored_interrupt, .deaf = kit_vectored_deaf
#define KIT_VECTORED_OPS                                                                                     \
    .interrupt = kit_own_line, .exception = kit_own_vector, .mark_object = kit_own_object,                   \
    .read_register = kit_own_read, .write_register = kit_own_write

#endif
