/* print.c — an instruction of the running chip as source text. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "part/naming.h"
#include "session/session_state.h"

typedef struct naming {
    const oak_session *session;
    char text[96];
} naming;

static const char *name_of(void *context, unsigned space, uint32_t address)
{
    naming *self = context;
    const oak_session *session = self->session;
    const oak_architecture *about = session->part->architecture;
    if (space == about->code_space) {
        const oak_symbol *label =
            session->program ? oak_program_label_below(session->program, address) : NULL;
        return label && label->value == address ? label->name : NULL;
    }
    const oak_symbol *symbol;
    for (unsigned i = 0; session->program && (symbol = oak_program_symbol(session->program, i)); i++)
        if (symbol->space == space && symbol->value == address) return symbol->name;
    return oak_part_name_of(session->part, session->isa, space, address, self->text, sizeof self->text);
}

oak_status session_decode(oak_session *session, uint32_t address, oak_decoded *decoded)
{
    uint8_t bytes[OAK_LONGEST_INSN];
    size_t count = 0;
    const oak_architecture *about = session->part->architecture;
    while (count < sizeof bytes &&
           !session->chip.ops->read_memory(session->chip.chip, about->code_space, address + (uint32_t)count,
                                           bytes + count, 1))
        count++;
    uint32_t pc = 0, state = 0;
    session->chip.ops->read_register(session->chip.chip, about->pc_register, &pc);
    if (session->isa->state_of && pc == address &&
        !session->chip.ops->read_register(session->chip.chip, about->state_register, &state))
        state = session->isa->state_of(state);
    return session->isa->decode(session->tables, bytes, count, address, state, decoded);
}

oak_status oak_session_print_instruction(oak_session *session, uint32_t address, char *text, size_t room,
                                         unsigned *size)
{
    oak_decoded decoded;
    oak_status status = session_decode(session, address, &decoded);
    if (!status) {
        naming self = {.session = session};
        oak_namer namer = {.context = &self, .name = name_of};
        oak_buf buf;
        oak_buf_open(&buf, &session->host);
        session->isa->print(session->tables, &decoded, &namer, &buf);
        oak_format(text, room, "%s", oak_buf_string(&buf));
        *size = decoded.size;
        oak_buf_close(&buf);
    }
    return status;
}
