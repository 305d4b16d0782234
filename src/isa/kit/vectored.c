/* vectored.c — see vectored.h. */
#include "isa/kit/vectored.h"

static void *member(oak_core *core, size_t offset)
{
    return (char *)core + offset;
}

bool kit_entered_by(const oak_core *core, uint32_t vector)
{
    uint32_t which;
    return kit_look(core)->fresh &&
           !kit_missing(core, vector, kit_look(core)->arch->isa->about.vector_bytes, &which);
}

bool kit_starts(oak_core *core)
{
    kit_core *kit = kit_of(core);
    bool begins = !kit->fresh || kit_entered_by(core, kit->entry);
    if (begins) kit->fresh = false;
    else (void)kit_fail(core, OAK_FAULT_NO_HANDLER, kit->entry);
    return begins;
}

bool kit_push_frame(oak_core *core, uint32_t back, uint64_t now)
{
    const kit_arch *arch = kit_look(core)->arch;
    const oak_stack_info *info = &arch->isa->about.stack;
    uint32_t top = 0, value = back;
    unsigned bytes = info->return_bytes;
    bool good = !kit_own_read(core, info->pointer, &top);
    for (unsigned left = info->saved_count + 1; good && left; left--) {
        good = kit_push_bytes(core, member(core, arch->objects), member(core, arch->stack), top, value, bytes,
                              now);
        top = (top - bytes) & (KIT_STACK_SPAN - 1);
        if (left == 1) break;
        bytes = info->saved[left - 2].bytes;
        good = good && !kit_own_read(core, info->saved[left - 2].reg, &value);
    }
    return good && !kit_write_register(core, info->pointer, top);
}

bool kit_vectored_interrupt(oak_core *core)
{
    kit_core *kit = kit_of(core);
    const oak_architecture *about = &kit->arch->isa->about;
    uint64_t now = kit->time.cycles;
    uint32_t ready = kit_lines_due(core, kit->arch->enabled(core), member(core, kit->arch->lines)),
             line = about->own_lines - 1u, sp;
    if (!ready) return false;
    while (!(ready >> line & 1)) line--;
    uint32_t vector = about->vector_first + about->vector_step * line;
    if (kit_handler_missing(core, vector, about->vector_bytes)) return false;
    if (kit->observed) kit_watch_entry(core, vector);
    unsigned cycles = kit->arch->enter(core, vector, now);
    if (!cycles) return kit->faulted = true;
    if (kit_read_register(core, about->stack.pointer, &sp)) sp = 0;
    for (unsigned i = 0; i < about->stack.saved_count; i++) sp += about->stack.saved[i].bytes;
    kit_begin_frame(core, member(core, kit->arch->stack), sp, line + 1, vector);
    kit->time.cycles += cycles;
    kit->attention = true;
    kit->next_device = kit->setup.acknowledge(kit->setup.machine, line, now);
    if (kit->observed) kit_watch_end(core); /* who looks on does so later than that */
    return true;
}

uint64_t kit_vectored_notice(oak_core *core)
{
    const kit_arch *arch = kit_look(core)->arch;
    return kit_lines_next(core, arch->enabled(core), member(core, arch->lines));
}

bool kit_vectored_deaf(const oak_core *core)
{
    return !kit_look(core)->arch->enabled(core);
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

oak_status kit_own_read(const oak_core *core, unsigned reg, uint32_t *value)
{
    const kit_arch *arch = kit_look(core)->arch;
    if (reg >= arch->isa->about.register_count) return OAK_OUT_OF_RANGE;
    if (arch->registers_at[reg].bytes) return kit_read_register(core, reg, value);
    *value = arch->status(core);
    return OAK_OK;
}

oak_status kit_own_write(oak_core *core, unsigned reg, uint32_t value)
{
    kit_core *kit = kit_of(core);
    const oak_architecture *about = &kit->arch->isa->about;
    if (reg >= about->register_count || value >> about->registers[reg].bits) return OAK_OUT_OF_RANGE;
    kit->attention = true;
    if (reg == about->pc_register) kit->fresh = false, value &= ~(about->code_align - 1u);
    if (reg == about->stack.pointer) ((kit_stack *)member(core, kit->arch->stack))->floor = KIT_STACK_SPAN;
    if (kit->arch->registers_at[reg].bytes) return kit_write_register(core, reg, value);
    kit->arch->set_status(core, value);
    return OAK_OK;
}

oak_status kit_own_object(oak_core *core, unsigned space, uint32_t address, uint32_t size)
{
    const kit_arch *arch = kit_look(core)->arch;
    if (space == arch->isa->about.stack.space && address < KIT_STACK_SPAN && size <= KIT_STACK_SPAN - address)
        kit_mark_object(member(core, arch->objects), member(core, arch->stack), address, size);
    return OAK_OK;
}
