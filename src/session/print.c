/* print.c — an instruction of the running chip as source text. */
#include <oakspindle/print.h>

#include "base/arena.h"
#include "base/bytes.h"
#include "look/looker.h"
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

void oak_session_name_cell(const oak_session *session, unsigned space, uint32_t address, char *text,
                           size_t room)
{
    if (!session || !text) return;
    naming self = {.session = session};
    const char *name = name_of(&self, space, address);
    const oak_part_register *reg = oak_part_register_at(session->part, space, address);
    if (!name && reg) name = reg->name;
    if (name) oak_format(text, room, "%s", name);
    else
        oak_format(text, room, "%s[0x%02x]", session->part->architecture->spaces[space].name,
                   (unsigned)address);
}

static oak_status decode_in(const oak_session *session, uint32_t address, uint32_t state,
                            oak_decoded *decoded)
{
    uint8_t bytes[OAK_LONGEST_INSN];
    size_t count = 0;
    const oak_architecture *about = session->part->architecture;
    unsigned unit = oak_unit_bytes(about, about->code_space);
    while (count + unit <= sizeof bytes &&
           !session->chip.ops->read_memory(session->chip.chip, about->code_space,
                                           address + (uint32_t)(count / unit), bytes + count, unit))
        count += unit;
    return session->isa->decode(session->tables, bytes, count, address, state, decoded);
}

/* The state that the chip is in, when the instruction at an address comes next. False when another one does. */
static bool state_now(const oak_session *session, uint32_t address, uint32_t *state)
{
    uint32_t pc = 0, value = 0;
    *state = 0;
    if (!session->isa->state_of) return true;
    session->chip.ops->read_register(session->chip.chip, session->part->architecture->pc_register, &pc);
    if (pc != address || session->chip.ops->read_register(
                             session->chip.chip, session->part->architecture->state_register, &value))
        return false;
    *state = session->isa->state_of(value);
    return true;
}

oak_status session_decode(oak_session *session, uint32_t address, oak_decoded *decoded)
{
    uint32_t state;
    state_now(session, address, &state);
    return decode_in(session, address, state, decoded);
}

oak_status session_decode_plain(const oak_session *session, uint32_t address, oak_decoded *decoded)
{
    return decode_in(session, address, 0, decoded);
}

/* The state that the instructions before an address lead to: one that begins a conditional block is looked for among them. Where
 * the program's lines are known, it must be one of them, and not the end of something longer. */
static uint32_t state_behind(const oak_session *session, uint32_t address)
{
    enum { LONGEST_BLOCK = 14 }; /* bytes, from its head to its last instruction */
    for (uint32_t back = 2; back <= LONGEST_BLOCK && back <= address; back += 2) {
        oak_decoded decoded;
        oak_line line;
        uint32_t at = address - back, state = 0;
        bool has_line = session->program && oak_program_line_at(session->program, at, &line) == OAK_OK;
        if (has_line && line.address != at) continue;
        do {
            if (decode_in(session, at, state, &decoded) || !decoded.size) break;
            at += decoded.size;
            state = decoded.state_after;
        } while (state && at < address);
        if (state && at == address) return state;
    }
    return 0;
}

/* What the program has selected at the instruction that is printed. */
static bool whole(void *context, unsigned space, uint32_t *address)
{
    const naming *self = context;
    return look_whole(self->session->read_back, space, address);
}

/* Reads the program back once, where instructions name registers only in part. */
static bool knows_banks(oak_session *session)
{
    if (!session->isa->selector || !session->program) return false;
    if (session->read_back) return true;
    looker *made = oak_take_zeroed(&session->host, sizeof *made);
    if (!made) return false;
    if (look_open(made, session->program, &session->host, NULL)) {
        look_close(made);
        oak_release(&session->host, made, 1, sizeof *made);
        return false;
    }
    session->read_back = made;
    return true;
}

void session_close_names(oak_session *session)
{
    if (!session->read_back) return;
    look_close(session->read_back);
    oak_release(&session->host, session->read_back, 1, sizeof *session->read_back);
}

/* The address that an instruction forms with the one before it. */
static bool forms_address(const oak_session *session, const oak_decoded *decoded, uint32_t *formed)
{
    oak_decoded before;
    uint32_t align = session->part->architecture->code_align;
    if (!session->isa->together) return false;
    for (uint32_t back = align; back <= OAK_LONGEST_INSN && back <= decoded->address; back += align)
        if (session_decode_plain(session, decoded->address - back, &before) == OAK_OK &&
            before.size == back && session->isa->together(session->tables, &before, decoded, formed))
            return true;
    return false;
}

oak_status oak_session_print_instruction(oak_session *session, uint32_t address, char *text, size_t room,
                                         unsigned *size)
{
    if (!session || !text || !size) return OAK_MISUSE;
    oak_decoded decoded;
    uint32_t state;
    if (!state_now(session, address, &state)) state = state_behind(session, address);
    oak_status status = decode_in(session, address, state, &decoded);
    if (!status) {
        naming self = {.session = session};
        oak_namer namer = {.context = &self, .name = name_of};
        if (knows_banks(session)) {
            namer.whole = whole;
            session->read_back->here = address;
        }
        oak_buf buf;
        oak_buf_open(&buf, &session->host);
        session->isa->print(session->tables, &decoded, &namer, &buf);
        uint32_t formed;
        if (forms_address(session, &decoded, &formed)) {
            char place[100];
            oak_session_name_cell(session, session->part->architecture->code_space, formed, place,
                                  sizeof place);
            oak_buf_format(&buf, "  ; together %s", place);
        }
        oak_format(text, room, "%s", oak_buf_string(&buf));
        *size = decoded.size;
        oak_buf_close(&buf);
    }
    return status;
}
