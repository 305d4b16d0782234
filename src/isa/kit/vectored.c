/* vectored.c — see vectored.h. */
#include "isa/kit/vectored.h"

static void *member(oak_core *core, size_t offset)
{
    return (char *)core + offset;
}

bool kit_entered_by(const oak_core *core, uint32_t vector)
{
    uint32_t which;
    return kit_look(core)->fresh && !kit_missing(core, vector, kit_look(core)->arch->isa->about.vector_bytes, &which);
}

bool kit_starts(oak_core *core)
{
    kit_core *kit = kit_of(core);
    bool begins = !kit->fresh || kit_entered_by(core, kit->entry);
    if (begins) kit->fresh = false;
    else (void)kit_fail(core, OAK_FAULT_NO_HANDLER, kit->entry);
    return begins;
}

void kit_own_line(oak_core *core, unsigned line, bool level, uint64_t from)
{
    const kit_arch *arch = kit_look(core)->arch;
    if (line < arch->isa->about.own_lines) kit_line(core, member(core, arch->lines), line, level, from);
}

unsigned kit_own_vector(const oak_core *core)
{
    const kit_arch *arch = kit_look(core)->arch;
    const kit_stack *stack = (const void *)((const char *)core + arch->stack);
    return kit_frame_vector(stack) / arch->isa->about.vector_step;
}

oak_status kit_own_object(oak_core *core, unsigned space, uint32_t address, uint32_t size)
{
    const kit_arch *arch = kit_look(core)->arch;
    if (space == arch->isa->about.code_space && address < KIT_STACK_SPAN && size <= KIT_STACK_SPAN - address)
        kit_mark_object(member(core, arch->objects), member(core, arch->stack), address, size);
    return OAK_OK;
}
