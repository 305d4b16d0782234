/* state.c — all that a machine remembers: for a document, and for the tape that going back is made of. */
#include "base/invariant.h"
#include "sim/machine_state.h"

oak_status oak_machine_visit(oak_machine *machine, const oak_state_visitor *visitor)
{
    if (!machine->isa->core->visit) return OAK_UNSUPPORTED;
    oak_machine_catch_up(machine);
    sim_touch(machine);
    machine->isa->core->visit(machine->core, visitor);
    for (unsigned i = 0; i < machine->part->block_count; i++)
        oak_block_ops_of(&machine->block[i])->visit(&machine->block[i], visitor);
    for (unsigned i = 0; machine->stored && i < machine->part->register_count; i++) {
        uint64_t value = machine->stored[i];
        visitor->number(visitor->context, "written", machine->part->registers[i].name, &value);
        machine->stored[i] = (uint32_t)value;
        sim_set_port(machine, i, machine->stored[i], sim_now_of(machine));
    }
    for (unsigned i = 0; i < machine->part->block_count; i++) machine->block[i].next = 0;
    machine->next = 0;
    if (machine->isa->core->attend) machine->isa->core->attend(machine->core);
    return OAK_OK;
}

oak_status oak_machine_tape(oak_machine *machine, oak_tape *tape)
{
    if (!machine->isa->core->tape) return OAK_UNSUPPORTED;
    OAK_INVARIANT(!machine->advancing); /* between two instructions, with no device half way */
    sim_touch(machine);
    machine->isa->core->tape(machine->core, tape);
    oak_tape_piece(tape, machine->gpio, machine->part->port_count * sizeof *machine->gpio);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        oak_block *block = &machine->block[i];
        oak_tape_piece(tape, block->lines, sizeof block->lines);
        oak_tape_piece(tape, &block->next, sizeof block->next);
        if (block->about->kind != OAK_BLOCK_PORT)
            oak_tape_piece(tape, &block->as, sizeof block->as); /* a port lies in gpio */
        size_t sent = block->sent.count;
        oak_tape_piece(tape, &sent, sizeof sent);
        if (sent < block->sent.count || tape->whole) block->sent.count = sent; /* it will be sent again */
        if (tape->whole) oak_tape_piece(tape, block->sent.bytes, sent);
        if (tape->whole) oak_tape_piece(tape, block->sent.cycles, sent * sizeof *block->sent.cycles);
    }
    oak_tape_piece(tape, &machine->outside_next, sizeof machine->outside_next);
    oak_tape_piece(tape, &machine->next, sizeof machine->next);
    oak_tape_piece(tape, &machine->moment, sizeof machine->moment);
    oak_tape_piece(tape, machine->levels, sizeof machine->levels);
    oak_tape_piece(tape, machine->fights, sizeof machine->fights);
    oak_tape_piece(tape, machine->shown, sizeof machine->shown);
    oak_tape_piece(tape, machine->floats, sizeof machine->floats);
    if (machine->stored)
        oak_tape_piece(tape, machine->stored, machine->part->register_count * sizeof *machine->stored);
    return OAK_OK;
}
