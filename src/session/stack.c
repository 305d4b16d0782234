/* stack.c — what lies on the stack: return addresses, registers that were saved, what an interrupt has put there.
 *
 * Worked out by reading the code: from the entry of the subroutine that is running, its pushes and pops are followed up to where
 * it stands; what lies beyond them is its return address, and there the same begins again. An entry is a place that is called, or
 * that a vector leads to. Where this does not hold (a stack that somebody has set up by hand), what points behind a call is still
 * taken for a return address, and nothing is said of the rest. */
#include "base/bytes.h"
#include "session/session_state.h"

/* A stack pointer that nothing has set may stand in front of all memory: so many bytes are looked at. */
enum { LONGEST = 4096, MOST_FOLLOWED = 64, MOST_ENTRIES = 4096, MOST_WALKED = 1 << 14 };

uint32_t session_stack_pointer(const oak_session *session)
{
    uint32_t value = 0;
    session->chip.ops->read_register(session->chip.chip, session->part->architecture->stack.pointer, &value);
    return value;
}

bool session_is_deeper(const oak_session *session, uint32_t stack, uint32_t than)
{
    const oak_stack_info *info = &session->part->architecture->stack;
    return info->grows_up || info->levels ? stack > than : stack < than;
}

/* ------------------------------------------------------------------------------------------ entries */

static void add_entry(oak_session *session, uint32_t address)
{
    if (session->entry_count == MOST_ENTRIES) return;
    for (size_t i = 0; i < session->entry_count; i++)
        if (session->entries[i] == address) return;
    uint32_t *grown = oak_grow(&session->host, session->entries, &session->entry_room,
                               session->entry_count + 1, sizeof *grown);
    if (!grown) {
        session->lost = true;
        return;
    }
    session->entries = grown;
    grown[session->entry_count++] = address;
}

static uint32_t word_at(const oak_session *session, uint32_t address)
{
    uint8_t b[4] = {0};
    session->chip.ops->read_memory(session->chip.chip, session->part->architecture->code_space, address, b,
                                   4);
    return (uint32_t)b[0] | (uint32_t)b[1] << 8 | (uint32_t)b[2] << 16 | (uint32_t)b[3] << 24;
}

/* Places that calls and vectors lead to, once. */
static void find_entries(oak_session *session)
{
    oak_line line;
    oak_decoded decoded;
    const oak_architecture *about = session->part->architecture;
    bool partly = false;
    session->entries_known = true;
    if (!session->program) return;
    for (unsigned i = 0; oak_program_line(session->program, i, &line) == OAK_OK; i++)
        for (uint32_t at = line.address; at < line.address + line.size;) {
            if (session_decode(session, at, &decoded) || !decoded.size) break;
            oak_stack_use use = {0};
            if (session->isa->stack_use) session->isa->stack_use(session->tables, &decoded, &use);
            if (use.sets && !session->stack_known)
                session->stack_known = true, session->stack_first = use.first, partly = use.partly;
            else if (partly)
                session->stack_first -= (uint32_t)(use.words * about->stack.cell), partly = false;
            if (decoded.has_target && decoded.flow == OAK_FLOW_CALL) add_entry(session, decoded.target);
            at += decoded.size;
        }
    unsigned numbers =
        about->vector_bytes ? about->own_exceptions + session->part->interrupt_lines : about->own_lines + 1u;
    for (unsigned number = 0; number < numbers; number++) {
        unsigned asked = about->vector_bytes ? number : number - 1;
        uint32_t vector = number ? oak_vector_of(about, asked) : 0;
        if (about->vector_bytes) add_entry(session, word_at(session, vector) & ~(uint32_t)1);
        else if (session_decode(session, vector, &decoded) == OAK_OK) {
            /* A handler begins there when nothing else runs on into it. */
            if (!vector || oak_program_line_at(session->program, vector - 1, &line))
                add_entry(session, vector);
            if (decoded.has_target && decoded.flow == OAK_FLOW_JUMP) add_entry(session, decoded.target);
        }
    }
}

/* The entry of the subroutine that an address belongs to. False when there is none before it. */
static bool entry_of(oak_session *session, uint32_t address, uint32_t *entry)
{
    bool found = false;
    if (!session->entries_known) find_entries(session);
    for (size_t i = 0; i < session->entry_count; i++) {
        uint32_t at = session->entries[i];
        if (at > address || (found && at < *entry)) continue;
        *entry = at;
        found = true;
    }
    return found;
}

/* ------------------------------------------------------------------------------------------ one subroutine */

/* Where the words on the stack came from; the last ones are the top. Room that is only made is one entry of many words. */
typedef struct followed {
    struct {
        bool known;
        uint8_t space;
        uint32_t number;
        unsigned words;
    } entry[MOST_FOLLOWED];
    unsigned count;
} followed;

static void drop_words(followed *stack, unsigned words)
{
    while (words && stack->count) {
        unsigned *here = &stack->entry[stack->count - 1].words, some = *here < words ? *here : words;
        *here -= some;
        words -= some;
        if (!*here) stack->count--;
    }
}

/* Word `at` below the top, which lies in room that was made, gets a name. */
static void name_word(followed *stack, unsigned at, uint8_t space, uint32_t number)
{
    unsigned i = stack->count, above = at;
    while (i && stack->entry[i - 1].words <= above) above -= stack->entry[--i].words;
    if (!i-- || stack->count + 2 > MOST_FOLLOWED || stack->entry[i].known) return;
    unsigned below = stack->entry[i].words - above - 1, more = (below ? 1u : 0u) + (above ? 1u : 0u);
    memmove(stack->entry + i + 1 + more, stack->entry + i + 1, (stack->count - i - 1) * sizeof *stack->entry);
    stack->count += more;
    if (below) stack->entry[i].words = below, stack->entry[i++].known = false;
    stack->entry[i].words = 1, stack->entry[i].known = true;
    stack->entry[i].space = space, stack->entry[i].number = number;
    if (above) stack->entry[i + 1].words = above, stack->entry[i + 1].known = false;
}

static void follow_one(const oak_stack_use *use, followed *stack)
{
    if (use->stores) name_word(stack, use->at, use->from[0].space, use->from[0].number);
    if (use->words < 0) drop_words(stack, (unsigned)-use->words);
    unsigned words = use->words > 0 ? (unsigned)use->words : 0;
    if (words > use->named && stack->count < MOST_FOLLOWED) {
        stack->entry[stack->count].known = false;
        stack->entry[stack->count++].words = words - use->named;
    }
    for (unsigned i = use->named; words && i-- > 0 && stack->count < MOST_FOLLOWED; stack->count++) {
        stack->entry[stack->count].known = true;
        stack->entry[stack->count].words = 1;
        stack->entry[stack->count].space = use->from[i].space;
        stack->entry[stack->count].number = use->from[i].number;
    }
}

/* What the subroutine that stands at `pc` has put on the stack since its entry. */
static void follow(oak_session *session, uint32_t pc, followed *stack)
{
    followed full = {
        .count = 0}; /* in front of the pops that stand in a row: holds again behind a return in its middle */
    bool popping = false;
    uint32_t at = 0;
    stack->count = 0;
    if (!session->isa->stack_use || !entry_of(session, pc, &at) || pc - at > LONGEST) return;
    while (at < pc) {
        oak_decoded decoded;
        oak_stack_use use = {0};
        if (session_decode(session, at, &decoded) || !decoded.size) return;
        session->isa->stack_use(session->tables, &decoded, &use);
        if (use.words < 0 && !popping) full = *stack;
        follow_one(&use, stack);
        bool leaves = decoded.flow == OAK_FLOW_RETURN || decoded.flow == OAK_FLOW_JUMP;
        if (leaves && (popping || use.words < 0)) *stack = full;
        popping = use.words < 0 && !leaves;
        at += decoded.size;
    }
}

/* It changes nothing of what `follow` finds, where it does not stand behind a pop. */
static bool is_plain(oak_session *session, uint32_t address, oak_decoded *decoded)
{
    oak_stack_use use = {0};
    if (session_decode(session, address, decoded) || !decoded->size) return false;
    if (session->isa->stack_use) session->isa->stack_use(session->tables, decoded, &use);
    return !use.words && !use.stores && !use.sets;
}

/* The same is found at both ends of these addresses. */
static bool is_same_between(oak_session *session, uint32_t low, uint32_t high)
{
    enum { FAR = 256 };
    uint32_t entry = 0, next = 0;
    oak_decoded decoded;
    if (high - low > FAR || entry_of(session, low, &entry) != entry_of(session, high, &next) || entry != next)
        return false;
    if ((high - entry > LONGEST) != (low - entry > LONGEST)) return false;
    for (uint32_t at = low; at < high; at += decoded.size) {
        if (!is_plain(session, at, &decoded)) return false;
        const bool leaves = decoded.flow == OAK_FLOW_RETURN || decoded.flow == OAK_FLOW_JUMP;
        if (leaves && at == low) return false; /* a pop may stand in front of it */
    }
    return true;
}

bool session_stack_stays(oak_session *session, uint32_t address)
{
    oak_decoded decoded;
    if (!is_plain(session, address, &decoded)) return false;
    const uint32_t behind = address + decoded.size, target = decoded.target;
    const bool goes = decoded.flow == OAK_FLOW_BRANCH || decoded.flow == OAK_FLOW_JUMP;
    if (decoded.flow != OAK_FLOW_NEXT && (!goes || !decoded.has_target)) return false;
    if (decoded.flow != OAK_FLOW_JUMP && !is_same_between(session, address, behind)) return false;
    if (!goes) return true;
    return target < address ? is_same_between(session, target, address)
                            : is_same_between(session, address, target);
}

/* ------------------------------------------------------------------------------------------ the walk */

typedef struct walk {
    oak_session *session;
    oak_stack_item *items; /* NULL: they are only counted */
    oak_stack_item last;
    size_t count, room;
    uint32_t depth; /* returns among them */
    const oak_stack_info *info;
    uint32_t at, first; /* the next word; where one that grows up begins, */
    uint32_t top;       /* and where its last word is */
    unsigned handlers;  /* interrupts that are not returned from yet, at least */
} walk;

static bool follows_call(const oak_session *session, uint32_t address)
{
    oak_decoded call;
    return session_call_before(session, address, &call);
}

/* Where a stack that grows up begins: where the program says so, else at the last thing of the program's below its top, or behind
 * register bank 0. */
static uint32_t stack_begin(oak_session *session, uint32_t top)
{
    if (!session->entries_known) find_entries(session);
    if (session->stack_known) return session->stack_first;
    if (session->begin_known && session->begin_top == top) return session->begin;
    uint32_t begin = session->part->architecture->stack.usual_first;
    unsigned space = session->part->architecture->stack.space;
    const oak_symbol *symbol;
    for (unsigned i = 0; session->program && (symbol = oak_program_symbol(session->program, i)); i++)
        if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == space && symbol->value <= (int64_t)top &&
            symbol->value > (int64_t)begin)
            begin = (uint32_t)symbol->value;
    session->begin = begin;
    session->begin_top = top;
    session->begin_known = true;
    return begin;
}

static uint32_t lowest(const walk *w, unsigned bytes)
{
    return w->info->grows_up ? w->at - (bytes - 1) : w->at;
}

/* Is there another word of `bytes`? Its value. */
static bool peek(const walk *w, unsigned bytes, uint32_t *value)
{
    uint8_t b[4] = {0};
    const oak_stack_info *info = w->info;
    const uint32_t gone = info->grows_up ? w->top - w->at : w->at - w->top;
    if (w->count == w->room || bytes > sizeof b || gone >= MOST_WALKED) return false;
    if (info->grows_up) {
        if (w->at < w->first + (bytes - 1)) return false;
    } else {
        const oak_part_memory *memory = oak_part_find_memory(w->session->part, info->space, w->at);
        const oak_session *session = w->session;
        bool bottom = session->stack_known ? w->at == session->stack_first + info->cell
                                           : session->isa->frame && w->at == word_at(session, 0);
        if (bottom || !memory || !memory->writable) return false;
    }
    if (w->session->chip.ops->read_memory(w->session->chip.chip, info->space, lowest(w, bytes), b, bytes))
        return false;
    *value = 0;
    for (unsigned i = 0; i < bytes; i++)
        *value |= (uint32_t)b[info->return_high_first ? bytes - 1 - i : i] << (8 * i);
    return true;
}

static oak_stack_item *take(walk *w, unsigned bytes, uint32_t value, oak_stack_kind kind)
{
    oak_stack_item *item = w->items ? &w->items[w->count] : &w->last;
    w->count++;
    w->depth += kind == OAK_STACK_RETURNS || kind == OAK_STACK_INTERRUPTED;
    *item = (oak_stack_item){.at = lowest(w, bytes), .value = value, .bytes = (uint8_t)bytes, .kind = kind};
    w->at = w->info->grows_up ? w->at - bytes : w->at + bytes;
    return item;
}

static oak_stack_item *take_saved(walk *w, unsigned bytes, uint32_t value, unsigned space, uint32_t number)
{
    oak_stack_item *item = take(w, bytes, value, OAK_STACK_SAVED);
    item->space = (uint8_t)space;
    item->number = number;
    return item;
}

/* The pushes of the subroutine at *pc, and its return address, which becomes *pc. False at the end of what is known. */
static bool walk_bytes(walk *w, uint32_t *pc)
{
    followed own;
    uint32_t value;
    follow(w->session, *pc, &own);
    while (own.count && peek(w, w->info->cell, &value)) {
        unsigned top = own.count - 1;
        if (own.entry[top].known)
            take_saved(w, w->info->cell, value, own.entry[top].space, own.entry[top].number);
        else take(w, w->info->cell, value, OAK_STACK_UNKNOWN);
        drop_words(&own, 1);
    }
    if (own.count || !peek(w, w->info->return_bytes, &value)) return false;
    bool called = follows_call(w->session, value);
    if (!called && !w->handlers) return false;
    if (!called) w->handlers--;
    for (unsigned i = 0; !called && i < w->info->saved_count; i++) {
        const oak_stack_saved *saved = &w->info->saved[i];
        if (!peek(w, saved->bytes, &value)) return false;
        take_saved(w, saved->bytes, value, 0, saved->reg);
    }
    if (!called && !peek(w, w->info->return_bytes, &value)) return false;
    take(w, w->info->return_bytes, value, called ? OAK_STACK_RETURNS : OAK_STACK_INTERRUPTED);
    *pc = value;
    return true;
}

/* What an exception has put there. */
static bool walk_frame(walk *w, uint32_t *pc, uint32_t *link)
{
    const oak_exception_frame *frame = w->session->isa->frame;
    uint32_t value = 0;
    for (unsigned i = 0; i < frame->words; i++) {
        if (!peek(w, 4, &value)) return false;
        if (i == frame->link_word) *link = value;
        if (i == frame->pc_word) *pc = value;
        if (i == frame->pc_word) take(w, 4, value, OAK_STACK_INTERRUPTED);
        else take_saved(w, 4, value, 0, frame->registers[i]);
    }
    if ((value >> frame->skipped_bit & 1) && peek(w, 4, &value)) take(w, 4, value, OAK_STACK_UNKNOWN);
    return true;
}

uint32_t oak_session_leads_to(const oak_session *session, uint32_t address)
{
    if (!session) return 0;
    oak_decoded decoded;
    bool jumps = session_decode_plain(session, address, &decoded) == OAK_OK && decoded.flow == OAK_FLOW_JUMP;
    return jumps && decoded.has_target ? decoded.target : address;
}

/* Is this the handler that is under way? */
static bool is_handler(oak_session *session, uint32_t pc)
{
    uint32_t entry = 0, vector = session_handled(session);
    return entry_of(session, pc, &entry) &&
           (entry == vector || entry == oak_session_leads_to(session, vector));
}

/* The same for words, with a link register, which *link is: 0 when it is not known. */
static bool walk_words(walk *w, uint32_t *pc, uint32_t *link)
{
    followed own;
    const oak_exception_frame *frame = w->session->isa->frame;
    uint32_t value, back = *link;
    *link = 0;
    follow(w->session, *pc, &own);
    while (own.count && peek(w, 4, &value)) {
        unsigned top = own.count - 1;
        bool is_link = own.entry[top].known && own.entry[top].number == frame->link_register;
        bool returns =
            is_link && value < frame->returns_from && follows_call(w->session, value & ~(uint32_t)1);
        if (is_link) back = value;
        if (returns) take(w, 4, value & ~(uint32_t)1, OAK_STACK_RETURNS);
        else if (own.entry[top].known) take_saved(w, 4, value, 0, own.entry[top].number);
        else take(w, 4, value, OAK_STACK_UNKNOWN);
        drop_words(&own, 1);
    }
    if (own.count || (w->handlers && frame->elsewhere && is_handler(w->session, *pc))) return false;
    if (back >= frame->returns_from && w->handlers) {
        w->handlers--;
        return walk_frame(w, pc, link);
    }
    *pc = back & ~(uint32_t)1;
    return back && back < frame->returns_from && follows_call(w->session, *pc);
}

/* What is left: return addresses by what they point to. */
static void walk_rest(walk *w)
{
    uint32_t value;
    const oak_stack_info *info = w->info;
    bool link = w->session->isa->frame != NULL; /* then bit 0 marks what returns */
    uint32_t mark = link ? w->session->part->architecture->code_bit : 0;
    while (peek(w, info->cell, &value)) {
        uint32_t back = 0;
        bool whole = peek(w, info->return_bytes, &back);
        if (whole && (!mark || (back & mark)) && follows_call(w->session, back & ~mark))
            take(w, info->return_bytes, back & ~mark, OAK_STACK_RETURNS);
        else take(w, info->cell, value, OAK_STACK_UNKNOWN);
    }
}

/* A hardware stack: its levels are registers, the last one in use on top. */
static void walk_levels(walk *w, uint32_t in_use)
{
    const oak_stack_info *info = w->info;
    for (uint32_t level = in_use < info->levels ? in_use : info->levels; level-- > 0 && w->count < w->room;) {
        uint32_t value = 0;
        w->session->chip.ops->read_register(w->session->chip.chip, info->first_level + level, &value);
        bool called = follows_call(w->session, value);
        oak_stack_item *item = w->items ? &w->items[w->count] : &w->last;
        *item = (oak_stack_item){.at = level,
                                 .value = value,
                                 .bytes = info->return_bytes,
                                 .kind = called ? OAK_STACK_RETURNS : OAK_STACK_INTERRUPTED};
        w->count++;
        w->depth++;
    }
}

static unsigned handlers_under_way(const oak_session *session)
{
    enum { NESTED_AT_MOST = 8 };
    return session_handled(session) ? NESTED_AT_MOST : 0;
}

static walk begin_walk(oak_session *session, oak_stack_item *items, size_t room)
{
    const oak_stack_info *info = &session->part->architecture->stack;
    uint32_t sp = session_stack_pointer(session);
    if (info->space && !session->entries_known) find_entries(session);
    const uint32_t top = !info->points_to_free ? sp : info->grows_up ? sp - 1 : sp + 1;
    return (walk){.session = session,
                  .items = items,
                  .room = room,
                  .info = info,
                  .at = top,
                  .top = top,
                  .first = info->grows_up ? stack_begin(session, sp) : 0,
                  .handlers = handlers_under_way(session)};
}

static walk walk_stack(oak_session *session, oak_stack_item *items, size_t room)
{
    const oak_architecture *about = session->part->architecture;
    const oak_stack_info *info = &about->stack;
    uint32_t pc = 0, link = 0;
    walk w = begin_walk(session, items, room);
    if (info->levels) {
        walk_levels(&w, session_stack_pointer(session));
        return w;
    }
    if (!info->space) return w;
    session->chip.ops->read_register(session->chip.chip, about->pc_register, &pc);
    const oak_exception_frame *frame = session->isa->frame;
    if (frame) session->chip.ops->read_register(session->chip.chip, frame->link_register, &link);
    while (frame ? walk_words(&w, &pc, &link) : walk_bytes(&w, &pc)) continue;
    walk_rest(&w);
    return w;
}

/* Where the words that can lie on the stack end, in memory that goes on from here; 0 for none. */
static uint32_t stack_end(const oak_session *session, uint32_t from)
{
    const oak_stack_info *info = &session->part->architecture->stack;
    uint32_t most = 0, bottom = session->stack_known  ? session->stack_first + info->cell
                                : session->isa->frame ? word_at(session, 0)
                                                      : 0;
    const oak_part_memory *memory;
    for (uint32_t at = from;
         (memory = oak_part_find_memory(session->part, info->space, at)) && memory->writable && at >= most;
         at = most)
        most = memory->base + memory->size;
    if (most > from && most - from > MOST_WALKED) most = from + MOST_WALKED + 3;
    bool meets = bottom >= from && bottom - from < most - from && (bottom - from) % info->cell == 0;
    return meets && bottom < most - 3 ? bottom + 3 : most; /* an address that begins above it is read whole */
}

uint64_t session_stack_mark(oak_session *session, uint32_t sp)
{
    enum { WORD = 8 };
    const oak_stack_info *info = &session->part->architecture->stack;
    const uint32_t top = !info->points_to_free ? sp : info->grows_up ? sp - 1 : sp + 1;
    uint64_t mark = 0xCBF29CE484222325u;
    if (!session->entries_known) find_entries(session);
    if (!session->marked_end || session->marked_top != top) { /* another stretch than the last one */
        session->marked_top = top;
        session->marked_from = info->grows_up ? stack_begin(session, sp) : top;
        session->marked_end = info->grows_up ? top + 1 : stack_end(session, top);
    }
    for (uint32_t from = session->marked_from, end = session->marked_end; from < end;) {
        uint8_t bytes[64] = {0};
        uint32_t count = end - from < sizeof bytes ? end - from : sizeof bytes;
        if (session->chip.ops->read_memory(session->chip.chip, info->space, from, bytes, count)) return 0;
        for (unsigned i = 0; i < count; i += WORD) {
            uint64_t word;
            memcpy(&word, bytes + i, WORD);
            mark = (mark ^ word) * 0x9E3779B97F4A7C15u;
            mark ^= mark >> 29;
        }
        from += count;
    }
    return mark ? mark : 1;
}

size_t oak_session_stack(oak_session *session, oak_stack_item *items, size_t room)
{
    if (!session || (!items && room)) return 0;
    return walk_stack(session, items, room).count;
}

uint32_t session_depth(oak_session *session)
{
    return walk_stack(session, NULL, SIZE_MAX).depth;
}
