/* selection.c — follows what is selected through straight code, jumps and calls. A bit of what is selected may be 0, may be 1, or may be
 * what it was when the routine was called: a routine is followed once with all bits as they were, and what it leaves is put
 * together with what each caller has selected. */
#include "isa/selection.h"

#include "base/arena.h"

enum { WAITS = 1, ROUTINE = 2, DECODED = 4, NO_CODE = 8, MOST_STEPS = 2000000, LONGEST_TABLE = 256 };

oak_status oak_selection_open(oak_selection *self, const oak_isa *isa, const oak_isa_tables *tables,
                              const oak_host *host, const oak_islands *land, oak_decode_at decode,
                              const void *context)
{
    size_t slots = land->slots + 1;
    *self = (oak_selection){
        .isa = isa, .tables = tables, .host = *host, .land = land, .decode = decode, .context = context};
    self->at = oak_take_zeroed(host, slots * sizeof *self->at);
    self->summary = oak_take_zeroed(host, slots * sizeof *self->summary);
    self->mark = oak_take_zeroed(host, slots);
    self->todo = oak_take_zeroed(host, slots * sizeof *self->todo);
    self->touched = oak_take_zeroed(host, slots * sizeof *self->touched);
    self->decoded = oak_take_zeroed(host, slots * sizeof *self->decoded);
    self->room = slots;
    bool taken = self->at && self->summary && self->mark && self->todo && self->touched && self->decoded;
    return taken ? OAK_OK : OAK_NO_MEMORY;
}

void oak_selection_close(oak_selection *self)
{
    size_t slots = self->room;
    oak_release(&self->host, self->at, slots, sizeof *self->at);
    oak_release(&self->host, self->summary, slots, sizeof *self->summary);
    oak_release(&self->host, self->mark, slots, 1);
    oak_release(&self->host, self->todo, slots, sizeof *self->todo);
    oak_release(&self->host, self->touched, slots, sizeof *self->touched);
    oak_release(&self->host, self->decoded, slots, sizeof *self->decoded);
}

static bool join(oak_selected *into, const oak_selected *from)
{
    oak_selected before = *into;
    into->zero |= from->zero, into->one |= from->one, into->entry |= from->entry;
    return into->zero != before.zero || into->one != before.one || into->entry != before.entry;
}

static bool is_none(const oak_selected *one)
{
    return !(one->zero | one->one | one->entry);
}

/* Nothing has come anywhere. */
static void forget(oak_selection *self)
{
    while (self->touched_count) self->at[self->touched[--self->touched_count]] = (oak_selected){0};
}

/* Each instruction is decoded once. */
static bool decode(oak_selection *self, uint32_t address, oak_decoded *decoded)
{
    uint32_t slot = oak_islands_slot(self->land, address);
    if (slot == self->land->slots) return false;
    if (!(self->mark[slot] & (DECODED | NO_CODE)))
        self->mark[slot] |= self->decode(self->context, address, &self->decoded[slot]) ? DECODED : NO_CODE;
    *decoded = self->decoded[slot];
    return self->mark[slot] & DECODED;
}

static void arrive(oak_selection *self, uint32_t address, const oak_selected *now)
{
    uint32_t slot = oak_islands_slot(self->land, address);
    if (slot >= self->land->slots) return;
    bool first = is_none(&self->at[slot]);
    if (!join(&self->at[slot], now)) return;
    if (first) self->touched[self->touched_count++] = slot;
    if (self->mark[slot] & WAITS) return;
    self->mark[slot] |= WAITS;
    self->todo[self->count++] = address;
}

void oak_selection_target(const oak_isa *isa, const oak_selected *now, oak_decoded *decoded)
{
    bool goes = decoded->flow == OAK_FLOW_JUMP || decoded->flow == OAK_FLOW_CALL;
    if (decoded->has_target && goes) isa->selector->whole(now, isa->about.code_space, &decoded->target);
}

/* Behind a jump that is computed lies its table: returns and jumps. */
static void arrive_at_table(oak_selection *self, uint32_t address, const oak_selected *now)
{
    oak_decoded decoded;
    for (unsigned i = 0; i < LONGEST_TABLE && decode(self, address, &decoded); i++) {
        arrive(self, address, now);
        if (oak_goes_on(decoded.flow)) return;
        address += decoded.size;
    }
}

static void note_call(oak_selection *self, const oak_decoded *decoded)
{
    uint32_t slot = decoded->has_target ? oak_islands_slot(self->land, decoded->target) : self->land->slots;
    if (decoded->flow != OAK_FLOW_CALL || slot == self->land->slots || (self->mark[slot] & ROUTINE)) return;
    self->mark[slot] |= ROUTINE;
    self->changed = true;
}

/* What is left when a call has come back: false while nobody knows that it does. */
static bool come_back(const oak_selection *self, const oak_decoded *call, oak_selected *now)
{
    uint32_t slot = call->has_target ? oak_islands_slot(self->land, call->target) : self->land->slots;
    if (slot == self->land->slots) {
        *now = OAK_SELECTED_ANY;
        return true;
    }
    oak_selected left = self->summary[slot];
    if (is_none(&left)) return false;
    *now = (oak_selected){left.zero | (left.entry & now->zero), left.one | (left.entry & now->one),
                          left.entry & now->entry};
    return true;
}

/* Follows what waits; into: what is selected at returns, of a routine that is followed alone. */
static void follow(oak_selection *self, oak_selected *into)
{
    while (self->count) {
        uint32_t address = self->todo[--self->count], slot = oak_islands_slot(self->land, address);
        oak_decoded decoded;
        self->mark[slot] &= (uint8_t)~WAITS;
        if (self->steps++ > MOST_STEPS || !decode(self, address, &decoded)) continue;
        oak_selected now = self->at[slot];
        if (!self->intended) oak_selection_target(self->isa, &now, &decoded);
        note_call(self, &decoded);
        self->isa->selector->follow(self->tables, &decoded, &now);
        if (into && oak_returns(decoded.flow)) join(into, &now);
        if (into && decoded.flow == OAK_FLOW_COMPUTED) join(into, &now);
        if (decoded.flow == OAK_FLOW_COMPUTED) arrive_at_table(self, address + decoded.size, &now);
        if (decoded.has_target && (decoded.flow != OAK_FLOW_CALL || !into))
            arrive(self, decoded.target, &now);
        if (decoded.flow == OAK_FLOW_CALL && !come_back(self, &decoded, &now)) continue;
        if (oak_goes_on(decoded.flow)) arrive(self, address + decoded.size, &now);
    }
}

/* Follows a routine alone; true when more is known of what it leaves. */
static bool summarize(oak_selection *self, uint32_t slot)
{
    const oak_selected all = {0, 0, ~(uint32_t)0};
    oak_selected left = {0};
    forget(self);
    arrive(self, oak_islands_address(self->land, slot), &all);
    follow(self, &left);
    return join(&self->summary[slot], &left);
}

/* Rounds over all routines until no one leaves more than was known; calls that are found on the way are routines of the next round. */
static void settle(oak_selection *self)
{
    oak_decoded decoded;
    for (uint32_t i = 0; i < self->land->slots; i++)
        if (decode(self, oak_islands_address(self->land, i), &decoded)) note_call(self, &decoded);
    for (self->changed = true; self->changed && self->steps < MOST_STEPS;) {
        self->changed = false;
        for (uint32_t i = 0; i < self->land->slots; i++)
            if ((self->mark[i] & ROUTINE) && summarize(self, i)) self->changed = true;
    }
    if (self->steps < MOST_STEPS) return;
    self->steps = 0;
    for (uint32_t i = 0; i < self->land->slots; i++) self->summary[i] = OAK_SELECTED_ANY;
}

void oak_selection_reset(oak_selection *self, uint32_t address)
{
    oak_selected now = OAK_SELECTED_ANY;
    settle(self);
    forget(self);
    now.one &= ~self->isa->selector->at_reset;
    arrive(self, address, &now);
    follow(self, NULL);
}

void oak_selection_vector(oak_selection *self, uint32_t address)
{
    oak_decoded before;
    for (uint32_t back = 1; back <= OAK_LONGEST_INSN && back <= address; back++)
        if (decode(self, address - back, &before) && before.size == back && oak_goes_on(before.flow)) return;
    oak_selection_from(self, address);
}

void oak_selection_from(oak_selection *self, uint32_t address)
{
    const oak_selected any = OAK_SELECTED_ANY;
    arrive(self, address, &any);
    follow(self, NULL);
}

oak_selected oak_selection_at(const oak_selection *self, uint32_t address)
{
    oak_selected found = self->at[oak_islands_slot(self->land, address)];
    return is_none(&found) ? OAK_SELECTED_ANY : found;
}

bool oak_selection_reached(const oak_selection *self, uint32_t address)
{
    return !is_none(&self->at[oak_islands_slot(self->land, address)]);
}
