/* calls.c — counting calls and returns as they are executed, and running out of a subroutine.
 *
 * Handlers that are entered are told by the chip. What leaves a handler, or a subroutine, is one by what it does: a jump table
 * ends in a computed jump, too, and an 8-bit program may push an address and `ret` to it. */
#include "base/arena.h"
#include "base/bytes.h"
#include "session/session_state.h"

uint32_t session_handled(const oak_session *session)
{
    uint32_t vector = 0;
    if (session->chip.ops->served) session->chip.ops->served(session->chip.chip, &vector);
    return vector;
}

/* ------------------------------------------------------------------------------------------ counting */

void session_begin_calls(const oak_session *session, call_levels *levels)
{
    levels->depth = CALL_LEVELS / 2;
    for (unsigned i = 0; i < CALL_LEVELS; i++) levels->called[i] = false;
    levels->stack[levels->depth] = session_stack_pointer(session);
}

void session_before_step(const oak_session *session, call_levels *levels, call_watch *before)
{
    *before = (call_watch){.pc = session_pc(session),
                           .vector = session_handled(session),
                           .stack = session_stack_pointer(session),
                           .instructions = session_time(session).instructions};
    before->known = session_decode_plain(session, before->pc, &before->decoded) == OAK_OK;
    uint32_t *shallowest = &levels->stack[levels->depth];
    bool shallower = session_is_deeper(session, *shallowest, before->stack);
    if (!levels->called[levels->depth] && shallower) *shallowest = before->stack;
}

bool session_call_before(const oak_session *session, uint32_t address, oak_decoded *call)
{
    uint32_t align = session->part->architecture->code_align;
    for (uint32_t size = align; size <= OAK_LONGEST_INSN && size <= address; size += align)
        if (session_decode_plain(session, address - size, call) == OAK_OK && call->size == size &&
            call->flow == OAK_FLOW_CALL)
            return true;
    return false;
}

/* Where an instruction has led to, and the stack then. */
typedef struct landing {
    uint32_t pc, stack;
} landing;

/* Does what has just jumped lead back to where this level was called? */
static bool leads_back(const oak_session *session, const call_levels *levels, const call_watch *before,
                       landing now)
{
    bool links = session->isa->frame != NULL; /* return addresses are kept in a register at first */
    bool returns = oak_returns(before->decoded.flow);
    uint32_t level = levels->stack[levels->depth];
    bool up = levels->called[levels->depth] ? !session_is_deeper(session, now.stack, level)
                                            : session_is_deeper(session, level, now.stack);
    if (links && returns) return true;
    oak_decoded call;
    return (!links && up) || session_call_before(session, now.pc, &call);
}

static void enter(call_levels *levels, uint32_t stack)
{
    if (levels->depth + 1 < CALL_LEVELS) levels->depth++;
    levels->called[levels->depth] = true;
    levels->stack[levels->depth] = stack;
}

static void leave(call_levels *levels, uint32_t stack)
{
    if (levels->depth) levels->depth--;
    if (levels->depth >= CALL_LEVELS / 2 || levels->called[levels->depth]) return;
    levels->stack[levels->depth] = stack; /* nothing is known of this one yet */
}

/* Where it had led to before the handler came that has been entered: that lies on the stack now. */
static landing before_handler(oak_session *session, landing now)
{
    oak_stack_item top;
    bool known = oak_session_stack(session, &top, 1) == 1 &&
                 (top.kind == OAK_STACK_INTERRUPTED || top.kind == OAK_STACK_RETURNS);
    return known ? (landing){top.value, top.at - 1} : now;
}

void session_count_calls(oak_session *session, call_levels *levels, const call_watch *before, bool entered)
{
    landing now = {session_pc(session), session_stack_pointer(session)};
    bool executed = session_time(session).instructions != before->instructions;
    bool links = session->isa->frame != NULL;
    oak_flow flow = before->known ? before->decoded.flow : OAK_FLOW_NEXT;
    bool jumps = oak_returns(flow) || flow == OAK_FLOW_COMPUTED;
    if (entered && executed && links) {
        /* The instruction itself has led there, or one handler came at the end of another, in its place. */
        if (!jumps || !before->vector) enter(levels, before->stack);
        return;
    }
    if (entered && executed) now = before_handler(session, now);
    bool went = executed && before->known && now.pc != before->pc + before->decoded.size;
    bool left = !entered && before->vector && session_handled(session) != before->vector;
    if (went && flow == OAK_FLOW_CALL) enter(levels, before->stack);
    else if (went && jumps && (left || leads_back(session, levels, before, now))) leave(levels, now.stack);
    if (entered) enter(levels, executed ? now.stack : before->stack);
}

/* ------------------------------------------------------------------------------------------ stops where calls change */

typedef struct flow_marks {
    uint32_t *at;
    size_t count, room;
} flow_marks;

static bool changes_calls(const oak_decoded *decoded)
{
    return decoded->flow == OAK_FLOW_CALL || oak_returns(decoded->flow) || decoded->flow == OAK_FLOW_COMPUTED;
}

/* The memory that a program is kept in; what is executed elsewhere cannot be marked beforehand. */
static bool is_kept(const oak_session *session, uint32_t address)
{
    const oak_part *part = session->part;
    const oak_part_memory *memory = oak_part_find_memory(part, part->architecture->code_space, address);
    return memory && oak_memory_is_filled(memory);
}

/* Sets stop points at all instructions of the program that may change the depth of calls. */
static oak_status mark_flow(oak_session *session, flow_marks *marks)
{
    uint32_t from = 0, align = session->part->architecture->code_align;
    uint64_t length = 0, next = 0;
    const oak_image *image = session->program ? oak_program_image(session->program) : NULL;
    while (image && next <= UINT32_MAX &&
           oak_image_next_run(image, (uint32_t)next, &from, &length) == OAK_OK) {
        next = from + length;
        unsigned unit = oak_unit_bytes(session->part->architecture, session->part->architecture->code_space);
        uint32_t first = from / unit, end = (uint32_t)((next + unit - 1) / unit);
        for (uint64_t at = first - first % align; at < end; at += align) {
            oak_decoded decoded;
            if (!is_kept(session, (uint32_t)at)) break;
            if (session_decode_plain(session, (uint32_t)at, &decoded) || !changes_calls(&decoded)) continue;
            uint32_t *grown =
                oak_grow(&session->host, marks->at, &marks->room, marks->count + 1, sizeof *grown);
            if (!grown) return OAK_NO_MEMORY;
            marks->at = grown;
            oak_status status = session->chip.ops->set_stop(session->chip.chip, (uint32_t)at, true);
            if (status) return status;
            grown[marks->count++] = (uint32_t)at;
        }
    }
    return marks->count ? OAK_OK : OAK_NOT_FOUND;
}

static void unmark_flow(oak_session *session, flow_marks *marks)
{
    for (size_t i = 0; i < marks->count; i++)
        if (!session_stops_at(session, marks->at[i]))
            session->chip.ops->set_stop(session->chip.chip, marks->at[i], false);
    oak_release(&session->host, marks->at, marks->room, sizeof *marks->at);
    *marks = (flow_marks){0};
}

/* ------------------------------------------------------------------------------------------ running out */

/* What is left of a budget that began with the cycle `began`; false when it is used up. */
static bool budget_left(const oak_session *session, const oak_budget *budget, uint64_t began,
                        oak_budget *left)
{
    uint64_t used = session_time(session).cycles - began;
    *left = *budget;
    left->instructions = 0;
    if (!budget->cycles) return true;
    left->cycles = budget->cycles - used;
    return used < budget->cycles;
}

/* The same for a chip that does not tell: another handler, and more on the stack. */
static bool seems_entered(const oak_session *session, const call_watch *before)
{
    return !session->handler_bit && session_handled(session) != before->vector &&
           session_is_deeper(session, session_stack_pointer(session), before->stack);
}

/* One instruction, or, where stop points are set at all that changes the depth, up to the next of these. */
static oak_status go_on(oak_session *session, const oak_budget *left, bool singly, const oak_diag_sink *sink,
                        oak_event *event)
{
    oak_budget one = *left;
    if (singly) one.instructions = 1;
    session->entered = false;
    session->ends_at_flow = !singly;
    oak_status status = oak_session_run(session, &one, sink, event);
    session->ends_at_flow = false;
    session->keeps_before = true; /* what changes, changes since before the first step */
    if (!status && singly && event->stop.reason == OAK_STOP_STEPS) event->stop.reason = OAK_STOP_STEP;
    return status;
}

/* A return address lies on the stack or in the register for it. */
bool oak_session_is_called(oak_session *session)
{
    if (!session) return false;
    enum { ROOM = 200 };
    oak_stack_item items[ROOM];
    size_t count = oak_session_stack(session, items, ROOM);
    for (size_t i = 0; i < count && i < ROOM; i++)
        if (items[i].kind == OAK_STACK_RETURNS || items[i].kind == OAK_STACK_INTERRUPTED) return true;
    if (session_handled(session)) return true;
    if (!session->isa->frame) return count > ROOM;
    /* The register holds what the last call has left there, also in the main program: does that call lead to here? */
    uint32_t back = 0, pc = session_pc(session);
    session->chip.ops->read_register(session->chip.chip, session->isa->frame->link_register, &back);
    back &= ~(uint32_t)1;
    oak_decoded call;
    if (!session_call_before(session, back, &call)) return false;
    if (!call.has_target) return true;
    const oak_symbol *around = session->program ? oak_program_label_below(session->program, pc) : NULL;
    return call.target <= pc &&
           (!around || (uint32_t)around->value <= call.target || pc - call.target < 4096);
}

oak_status oak_session_run_out(oak_session *session, const oak_budget *budget, const oak_diag_sink *sink,
                               oak_event *event)
{
    if (!session || !budget || !sink || !event) return OAK_MISUSE;
    enum { PATIENCE = 10000, OFTEN = 4096 };
    call_levels levels;
    flow_marks marks = {0};
    uint64_t began = session_time(session).cycles, breathed = began, steps = 0;
    oak_status status = OAK_OK;
    session->sees_handlers = true;
    session_begin_calls(session, &levels);
    while (!status) {
        call_watch before;
        oak_budget left;
        session_before_step(session, &levels, &before);
        if (!budget_left(session, budget, began, &left)) {
            event->stop.reason = OAK_STOP_CYCLES;
            break;
        }
        if (steps == PATIENCE && mark_flow(session, &marks)) unmark_flow(session, &marks);
        bool singly =
            !marks.count || !before.known || changes_calls(&before.decoded) || !is_kept(session, before.pc);
        status = go_on(session, &left, singly, sink, event);
        if (status || event->stop.reason != OAK_STOP_STEP) break;
        session_count_calls(session, &levels, &before, session->entered || seems_entered(session, &before));
        if (levels.depth < CALL_LEVELS / 2) break;
        uint64_t now = session_time(session).cycles;
        steps += singly;
        if (budget->breathe && (now - breathed >= budget->breath || steps % OFTEN == 0)) {
            breathed = now;
            if (!budget->breathe(budget->context, now)) {
                event->stop.reason = OAK_STOP_USER;
                break;
            }
        }
        if (!singly || session->entered) continue;
        status = session_stop_here(session, sink, &event->stop_point);
        if (event->stop_point >= 0) event->stop.reason = OAK_STOP_POINT;
        if (event->stop_point >= 0) break;
    }
    unmark_flow(session, &marks);
    session->sees_handlers = session->keeps_before = false;
    session->handler_bit = 0;
    session_disarm_watches(session);
    session->last = *event;
    return status;
}
