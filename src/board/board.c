/* board.c — the board while it runs.
 *
 * A stand-in that is told of a level may drive others at once. Wires whose drives have changed are worked through one after
 * the other until all are at rest; a board that does not come to rest within MOST_ROUNDS is left as it is, and says so. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "board/board_state.h"

enum { MOST_ROUNDS = 20000 };

/* ------------------------------------------------------------------------------------------ wires */

static oak_level together(const oak_board *board, unsigned wire, bool *fights)
{
    bool any[OAK_PULLED_HIGH + 1] = {0};
    for (unsigned i = 0; i < board->stand_in_count; i++)
        for (unsigned t = 0; t < board->stand_ins[i].terminal_count; t++)
            if (board->stand_ins[i].terminals[t].wire == wire)
                any[board->stand_ins[i].terminals[t].drive] = true;
    any[board->wires[wire].tied] = true;
    *fights = any[OAK_LOW] && any[OAK_HIGH];
    static const oak_level order[] = {OAK_LOW, OAK_HIGH, OAK_PULLED_LOW, OAK_PULLED_HIGH};
    for (unsigned i = 0; i < 4; i++)
        if (any[order[i]]) return order[i];
    return OAK_FLOAT;
}

static void tell(oak_board *board, unsigned wire)
{
    oak_level level = board->wires[wire].level;
    for (unsigned i = 0; i < board->stand_in_count; i++) {
        oak_stand_in *one = &board->stand_ins[i];
        for (unsigned t = 0; t < one->terminal_count; t++)
            if (one->terminals[t].wire == wire && one->kind->changed) one->kind->changed(one, t, level);
    }
}

/* One wire whose drives have changed. */
static void settle_wire(oak_board *board, unsigned number)
{
    board_wire *wire = &board->wires[number];
    bool fights;
    oak_level all = together(board, number, &fights);
    wire->dirty = false;
    if (fights && wire->pin >= 0) {
        oak_notice notice = {.fault = OAK_FAULT_CONTENTION,
                             .space = OAK_NOTICE_OUTSIDE,
                             .address = (uint32_t)wire->pin,
                             .cycle = board->now};
        oak_session_note(board->session, &notice);
    }
    if (wire->pin >= 0) {
        /* The chip answers through pin_changed when what stands on the pin is another. */
        if (oak_session_put(board->session, board->source, (unsigned)wire->pin, all))
            oak_session_fail(board->session);
        return;
    }
    oak_level level = all == OAK_PULLED_LOW ? OAK_LOW : all == OAK_PULLED_HIGH ? OAK_HIGH : all;
    if (level == wire->level) return;
    wire->level = level;
    wire->told = false;
}

static void settle(oak_board *board)
{
    if (board->settling) return;
    board->settling = true;
    bool busy = true;
    for (unsigned rounds = 0; busy; rounds++) {
        busy = false;
        for (unsigned i = 0; i < board->wire_count; i++) {
            if (board->wires[i].dirty) {
                busy = true;
                settle_wire(board, i);
            }
            if (!board->wires[i].told) {
                busy = true;
                board->wires[i].told = true;
                tell(board, i);
            }
        }
        if (rounds < MOST_ROUNDS) continue;
        if (board->restless == UINT64_MAX) board->restless = board->now;
        for (unsigned i = 0; i < board->wire_count; i++)
            board->wires[i].dirty = false, board->wires[i].told = true;
        break;
    }
    board->settling = false;
}

/* ------------------------------------------------------------------------------------------ the session */

static oak_level pin_level(const oak_board *board, unsigned pin)
{
    oak_chip_port chip = oak_session_chip(board->session);
    oak_pin state = {.result = OAK_FLOAT};
    chip.ops->read_pin(chip.chip, pin, &state);
    return state.result;
}

/* The cycle of a deed; what should have happened before now has happened. */
static void plan(const oak_board *board, board_deed *deed)
{
    uint64_t more = oak_time_to_cycles(deed->picoseconds, oak_session_clock(board->session),
                                       board->part->clocks_per_cycle);
    deed->at = more > UINT64_MAX - deed->cycles ? UINT64_MAX : deed->cycles + more;
    deed->done = deed->at < board->now;
}

/* Memory on the external bus. What a part has there is put aside as soon as a board has any. */
static void map_memory(oak_board *board)
{
    enum { MOST = 16 };
    oak_external ranges[MOST];
    unsigned count = 0, space = oak_part_find_space(board->part, "xram", 4);
    oak_chip_port chip = oak_session_chip(board->session);
    if (!space || !chip.ops->external) return;
    for (unsigned i = 0; i < board->stand_in_count && count < MOST; i++) {
        const oak_stand_in *one = &board->stand_ins[i];
        const uint8_t *contents = NULL;
        size_t size = 0;
        if (!one->kind->maps || !one->kind->maps(one, &ranges[count], &contents, &size)) continue;
        if (size > ranges[count].size) size = ranges[count].size;
        if (contents && size && chip.ops->write_memory(chip.chip, space, ranges[count].base, contents, size))
            oak_session_fail(board->session);
        count++;
    }
    if (count) chip.ops->external(chip.chip, space, ranges, count);
}

static void start(oak_board *board)
{
    board->started = true;
    map_memory(board);
    board->restless = UINT64_MAX;
    for (unsigned i = 0; i < board->stand_in_count; i++) {
        oak_stand_in *one = &board->stand_ins[i];
        memset(one->state, 0, one->kind->state_size ? one->kind->state_size : 1);
        one->due = UINT64_MAX;
        one->random = board->seed * 0x2545F4914F6CDD1Du + i + 1;
        one->printed_count = 0;
        for (unsigned t = 0; t < one->terminal_count; t++) one->terminals[t].drive = OAK_FLOAT;
    }
    for (size_t i = 0; i < board->deed_count; i++) plan(board, &board->deeds[i]);
    board->settling = true; /* until all of them have begun */
    for (unsigned i = 0; i < board->stand_in_count; i++)
        if (board->stand_ins[i].kind->reset) board->stand_ins[i].kind->reset(&board->stand_ins[i]);
    for (unsigned i = 0; i < board->wire_count; i++) {
        board->wires[i].dirty = true;
        settle_wire(board, i);
        if (board->wires[i].pin >= 0) board->wires[i].level = pin_level(board, (unsigned)board->wires[i].pin);
        board->wires[i].told = false;
    }
    board->settling = false;
    settle(board);
}

static uint64_t advance(void *context, uint64_t now)
{
    oak_board *board = context;
    uint64_t next = UINT64_MAX;
    board->now = now;
    if (!board->started) start(board);
    for (size_t i = 0; i < board->deed_count; i++) {
        board_deed *deed = &board->deeds[i];
        if (deed->done) continue;
        if (deed->at > now) {
            if (deed->at < next) next = deed->at;
            continue;
        }
        deed->done = true;
        deed->who->kind->act(deed->who, deed->what);
        settle(board);
    }
    for (unsigned i = 0; i < board->stand_in_count; i++) {
        oak_stand_in *one = &board->stand_ins[i];
        if (one->due > now) continue;
        one->due = UINT64_MAX;
        if (one->kind->due) one->kind->due(one);
        settle(board);
    }
    for (unsigned i = 0; i < board->stand_in_count; i++)
        if (board->stand_ins[i].due < next) next = board->stand_ins[i].due;
    return next;
}

static void pin_changed(void *context, unsigned pin, oak_level level, uint64_t cycle)
{
    oak_board *board = context;
    if (!board->started || board->wire_of_pin[pin] == BOARD_NO_WIRE) return;
    board_wire *wire = &board->wires[board->wire_of_pin[pin]];
    if (wire->level == level) return;
    board->now = cycle;
    wire->level = level;
    wire->told = false;
    settle(board);
}

static void reset(void *context)
{
    ((oak_board *)context)->started = false;
}

static void visit(void *context, const oak_state_visitor *visitor)
{
    oak_board *board = context;
    oak_chip_port chip = oak_session_chip(board->session);
    oak_chip_time time = {0};
    chip.ops->read_time(chip.chip, &time);
    if (!board->started) {
        board->now = time.cycles;
        start(board);
    }
    for (unsigned i = 0; i < board->stand_in_count; i++) {
        oak_stand_in *one = &board->stand_ins[i];
        one->due++; /* none is 0, as is what a file does not name */
        visitor->number(visitor->context, one->name, "due", &one->due);
        one->due--;
        visitor->number(visitor->context, one->name, "random", &one->random);
        if (visitor->bytes && one->kind->state_size)
            visitor->bytes(visitor->context, one->name, "state", one->state, one->kind->state_size);
        for (unsigned t = 0; t < one->terminal_count; t++) {
            enum { DRIVES = OAK_PULLED_HIGH + 1 };
            uint64_t drive = (one->terminals[t].drive + DRIVES - OAK_FLOAT) % DRIVES; /* none is 0 */
            char name[24];
            if (one->terminals[t].wire == BOARD_NO_WIRE) continue;
            oak_format(name, sizeof name, "drive%u", t);
            visitor->number(visitor->context, one->name, name, &drive);
            oak_stand_in_put(one, t, (oak_level)((drive % DRIVES + OAK_FLOAT) % DRIVES));
        }
    }
    for (unsigned i = 0; i < board->wire_count; i++) {
        board->wires[i].dirty = true;
        settle_wire(board, i);
        if (board->wires[i].pin >= 0) board->wires[i].level = pin_level(board, (unsigned)board->wires[i].pin);
        board->wires[i].told = true; /* they know it already */
    }
    oak_session_wake(board->session, board->source, board->now);
}

static void tape(void *context, oak_tape *tape)
{
    oak_board *board = context;
    oak_tape_piece(tape, &board->now, sizeof board->now);
    oak_tape_piece(tape, &board->restless, sizeof board->restless);
    oak_tape_piece(tape, &board->started, sizeof board->started);
    for (unsigned i = 0; i < board->stand_in_count; i++) {
        oak_stand_in *one = &board->stand_ins[i];
        size_t printed = one->printed_count;
        oak_tape_piece(tape, one->state, one->kind->state_size);
        oak_tape_piece(tape, &one->due, sizeof one->due);
        oak_tape_piece(tape, &one->random, sizeof one->random);
        oak_tape_piece(tape, &printed, sizeof printed);
        if (printed < one->printed_count || tape->whole)
            one->printed_count = printed; /* it will come again */
        if (tape->whole) oak_tape_piece(tape, one->printed, printed);
        for (unsigned t = 0; t < one->terminal_count; t++)
            oak_tape_piece(tape, &one->terminals[t].drive, sizeof one->terminals[t].drive);
    }
    for (unsigned i = 0; i < board->wire_count; i++) {
        board_wire *wire = &board->wires[i];
        oak_tape_piece(tape, &wire->level, sizeof wire->level);
        oak_tape_piece(tape, &wire->dirty, sizeof wire->dirty);
        oak_tape_piece(tape, &wire->told, sizeof wire->told);
    }
    /* What was to be done after this moment is to be done again. */
    for (size_t i = 0; i < board->deed_count; i++)
        if (!tape->saves && tape->at)
            board->deeds[i].done = board->started && board->deeds[i].at <= board->now;
}

oak_status oak_board_join(oak_board *board, oak_session *session, uint64_t seed)
{
    if (!board || !session) return OAK_MISUSE;
    const oak_outside outside = {.context = board,
                                 .advance = advance,
                                 .pin_changed = pin_changed,
                                 .reset = reset,
                                 .visit = visit,
                                 .tape = tape};
    board->session = session;
    board->seed = seed;
    map_memory(board);
    for (unsigned i = 0; i < board->wire_count; i++)
        if (board->wires[i].pin >= 0 && board->wires[i].name) {
            oak_status status =
                oak_session_label_pin(session, board->wires[i].name, oak_length(board->wires[i].name),
                                      (unsigned)board->wires[i].pin);
            if (status) return status;
        }
    return oak_session_join(session, &outside, &board->source);
}

/* ------------------------------------------------------------------------------------------ what people do */

oak_status board_add_deed(oak_board *board, oak_stand_in *who, const char *what, uint64_t cycles,
                          uint64_t picoseconds)
{
    board_deed *grown =
        oak_grow(&board->host, board->deeds, &board->deed_room, board->deed_count + 1, sizeof *grown);
    const char *copy = oak_arena_text(&board->arena, what, oak_length(what));
    if (grown) board->deeds = grown;
    if (!grown || !copy) return OAK_NO_MEMORY;
    grown[board->deed_count++] =
        (board_deed){.who = who, .what = copy, .cycles = cycles, .picoseconds = picoseconds};
    return OAK_OK;
}

/* What stands behind a deed is what its kind says in capitals: nothing, any text, clicks, a frequency. */
static bool takes(const char *wanted, const char *given)
{
    uint64_t number;
    size_t used, word = 0;
    if (*wanted != ' ') return !*given;
    wanted++;
    while (oak_is_word(wanted[word])) word++;
    if (oak_same_name(wanted, word, "clicks")) {
        given += *given == '-' || *given == '+';
        return !oak_read_number(given, given + oak_length(given), &number, &used) && !given[used];
    }
    if (oak_same_name(wanted, word, "frequency")) return oak_read_frequency(given, &number) == OAK_OK;
    if (oak_same_name(wanted, word, "key")) return *given && !given[1];
    return *given;
}

bool board_knows_act(const oak_stand_in *who, const char *what)
{
    size_t length = 0, blanks;
    while (what[length] && what[length] != ' ') length++;
    for (blanks = length; what[blanks] == ' ';) blanks++;
    for (const char *at = who->kind->acts; at && *at && length;) {
        size_t word = 0;
        while (oak_is_word(at[word]) || at[word] == '-') word++;
        if (word == length && memcmp(at, what, length) == 0) return takes(at + word, what + blanks);
        while (*at && *at != ',') at++;
        while (*at == ',' || *at == ' ') at++;
    }
    return false;
}

static oak_status refuse_act(const oak_diag_sink *sink, const char *hint, const char *format,
                             const char *text)
{
    char message[300];
    oak_format(message, sizeof message, format, text);
    oak_refuse(sink, "act", NULL, 0, 0, hint, "%s", message);
    return OAK_REFUSED;
}

/* Somebody touches the board between two runs. */
static void look_at_the_clock(oak_board *board)
{
    oak_chip_time time;
    oak_chip_port chip = oak_session_chip(board->session);
    if (chip.ops->read_time(chip.chip, &time) == OAK_OK && time.cycles > board->now) board->now = time.cycles;
}

oak_status oak_board_act(oak_board *board, const char *text, const oak_diag_sink *sink)
{
    if (!board || !text || !sink) return OAK_MISUSE;
    size_t length = 0, end = oak_length(text), at = 0;
    char what[400], hint[300];
    while (text[length] && text[length] != ' ') length++;
    oak_stand_in *who = oak_board_find(board, text, length);
    if (!who) {
        oak_format(hint, sizeof hint, "On the board are:");
        for (unsigned i = 0; i < board->stand_in_count && oak_length(hint) < 240; i++)
            oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "%s %s", i ? "," : "",
                       board->stand_ins[i].name);
        return refuse_act(sink, hint, "`%s`: nothing on the board is called so", text);
    }
    for (size_t i = length; i + 4 <= end; i++)
        if (memcmp(text + i, " at ", 4) == 0) at = i;
    uint64_t picoseconds = 0;
    if (at && oak_read_time(text + at + 4, end - at - 4, &picoseconds))
        return refuse_act(sink, "Write `door open at 150ms`.", "`%s` has no time behind `at`", text);
    const char *from = text + length;
    while (*from == ' ') from++;
    oak_format(what, sizeof what, "%.*s", (int)((at ? text + at : text + end) - from), from);
    oak_format(hint, sizeof hint, "It understands: %s.", who->kind->acts ? who->kind->acts : "nothing");
    if (!who->kind->act || !board_knows_act(who, what))
        return refuse_act(sink, hint, "`%s` is nothing one could do", text);
    if (at) {
        if (board->started) look_at_the_clock(board);
        uint64_t cycle =
            oak_time_to_cycles(picoseconds, oak_session_clock(board->session), board->part->clocks_per_cycle);
        if (board->started && cycle < board->now)
            return refuse_act(sink, "Times count from reset; without `at` it happens now.",
                              "`%s` lies in the past", text);
        oak_status status = board_add_deed(board, who, what, 0, picoseconds);
        if (status || !board->started) return status;
        plan(board, &board->deeds[board->deed_count - 1]);
        oak_session_wake(board->session, board->source, board->deeds[board->deed_count - 1].at);
        return OAK_OK;
    }
    if (!board->started) return board_add_deed(board, who, what, 0, 0);
    look_at_the_clock(board);
    oak_session_touch(board->session);
    who->kind->act(who, what);
    settle(board);
    oak_session_wake(board->session, board->source, who->due);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ for the kinds */

void *oak_stand_in_state(oak_stand_in *self)
{
    if (!self) return NULL;
    return self->state;
}

uint64_t oak_stand_in_now(const oak_stand_in *self)
{
    if (!self) return 0;
    return self->board->now;
}

uint64_t oak_stand_in_cycles(const oak_stand_in *self, uint64_t picoseconds)
{
    if (!self) return 0;
    return oak_time_to_cycles(picoseconds, oak_session_clock(self->board->session),
                              self->board->part->clocks_per_cycle);
}

void oak_stand_in_cycle(const oak_stand_in *self, uint64_t *numerator, uint64_t *denominator)
{
    if (!self || !numerator || !denominator) return;
    *numerator = (uint64_t)1000000000000000u * self->board->part->clocks_per_cycle;
    *denominator = oak_session_clock(self->board->session);
}

bool oak_stand_in_is_wired(const oak_stand_in *self, unsigned terminal)
{
    if (!self) return false;
    return terminal < self->terminal_count && self->terminals[terminal].wire != BOARD_NO_WIRE;
}

oak_level oak_stand_in_level(const oak_stand_in *self, unsigned terminal)
{
    if (!self) return OAK_FLOAT;
    if (!oak_stand_in_is_wired(self, terminal)) return OAK_FLOAT;
    return self->board->wires[self->terminals[terminal].wire].level;
}

void oak_stand_in_put(oak_stand_in *self, unsigned terminal, oak_level level)
{
    if (!self) return;
    if (!oak_stand_in_is_wired(self, terminal) || self->terminals[terminal].drive == level) return;
    self->terminals[terminal].drive = level;
    self->board->wires[self->terminals[terminal].wire].dirty = true;
}

void oak_stand_in_wake(oak_stand_in *self, uint64_t cycle)
{
    if (!self) return;
    self->due = cycle;
    if (cycle != UINT64_MAX) oak_session_wake(self->board->session, self->board->source, cycle);
}

uint64_t oak_stand_in_number(const oak_stand_in *self, unsigned setting)
{
    if (!self) return 0;
    return self->settings[setting].number;
}

const char *oak_stand_in_text(const oak_stand_in *self, unsigned setting)
{
    if (!self) return NULL;
    return self->settings[setting].text ? self->settings[setting].text : "";
}

const uint8_t *oak_stand_in_file(const oak_stand_in *self, unsigned setting, size_t *size)
{
    if (!self || !size) return NULL;
    *size = self->settings[setting].size;
    return self->settings[setting].bytes;
}

uint64_t oak_stand_in_random(oak_stand_in *self, uint64_t limit)
{
    if (!self) return 0;
    self->random += 0x9E3779B97F4A7C15u;
    uint64_t z = self->random;
    z = (z ^ z >> 30) * 0xBF58476D1CE4E5B9u;
    z = (z ^ z >> 27) * 0x94D049BB133111EBu;
    return limit ? (z ^ z >> 31) % limit : 0;
}

void oak_stand_in_print(oak_stand_in *self, const uint8_t *bytes, size_t count)
{
    if (!self || (!bytes && count)) return;
    if (self->heard && !oak_session_is_replaying(self->board->session))
        self->heard(self->hears, bytes, count);
    if (count > BOARD_MOST_PRINTED) bytes += count - BOARD_MOST_PRINTED, count = BOARD_MOST_PRINTED;
    if (self->printed_count + count > BOARD_MOST_PRINTED) {
        size_t drop = self->printed_count + count - BOARD_MOST_PRINTED;
        memmove(self->printed, self->printed + drop, self->printed_count - drop);
        self->printed_count -= drop;
    }
    uint8_t *grown =
        oak_grow(&self->board->host, self->printed, &self->printed_room, self->printed_count + count, 1);
    if (!grown) {
        oak_session_fail(self->board->session);
        return;
    }
    self->printed = grown;
    memcpy(grown + self->printed_count, bytes, count);
    self->printed_count += count;
}

/* ------------------------------------------------------------------------------------------ looking */

uint64_t oak_board_clock(const oak_board *board)
{
    if (!board) return 0;
    return board->clock;
}

const char *oak_board_title(const oak_board *board)
{
    if (!board) return NULL;
    return board->title;
}

oak_stand_in *oak_board_stand_in(oak_board *board, unsigned number)
{
    if (!board) return NULL;
    return number < board->stand_in_count ? &board->stand_ins[number] : NULL;
}

oak_stand_in *oak_board_find(oak_board *board, const char *name, size_t length)
{
    if (!board || !name) return NULL;
    for (unsigned i = 0; i < board->stand_in_count; i++)
        if (oak_same_name(name, length, board->stand_ins[i].name)) return &board->stand_ins[i];
    return NULL;
}

const char *oak_stand_in_name(const oak_stand_in *self)
{
    if (!self) return NULL;
    return self->name;
}

const oak_stand_in_kind *oak_stand_in_kind_of(const oak_stand_in *self)
{
    if (!self) return NULL;
    return self->kind;
}

static void picture(oak_stand_in *self, void (*how)(oak_stand_in *self, char *text, size_t room), char *text,
                    size_t room)
{
    if (room) *text = 0;
    if (!how || !self->board->started) return;
    look_at_the_clock(self->board);
    how(self, text, room);
}

void oak_stand_in_show(oak_stand_in *self, char *text, size_t room)
{
    if (!self || !text) return;
    picture(self, self->kind->show, text, room);
}

void oak_stand_in_draw(oak_stand_in *self, char *text, size_t room)
{
    if (!self || !text) return;
    picture(self, self->kind->draw ? self->kind->draw : self->kind->show, text, room);
}

const uint8_t *oak_stand_in_printed(const oak_stand_in *self, size_t *count)
{
    if (!self || !count) return NULL;
    *count = self->printed_count;
    return self->printed;
}

void oak_stand_in_listen(oak_stand_in *self, void (*heard)(void *context, const uint8_t *bytes, size_t count),
                         void *context)
{
    if (!self) return;
    self->heard = heard;
    self->hears = context;
}

size_t oak_stand_in_type(oak_stand_in *self, const uint8_t *bytes, size_t count)
{
    if (!self || (!bytes && count)) return 0;
    if (!self->kind->type || !self->board->started) return 0;
    look_at_the_clock(self->board);
    size_t taken = self->kind->type(self, bytes, count);
    settle(self->board);
    return taken;
}

uint64_t oak_board_restless(const oak_board *board)
{
    if (!board) return 0;
    return board->restless;
}

void oak_board_free(oak_board *board)
{
    if (!board) return;
    oak_host host = board->host;
    for (unsigned i = 0; i < board->stand_in_count; i++)
        oak_release(&host, board->stand_ins[i].printed, board->stand_ins[i].printed_room, 1);
    oak_release(&host, board->wires, board->wire_room, sizeof *board->wires);
    oak_release(&host, board->deeds, board->deed_room, sizeof *board->deeds);
    oak_arena_close(&board->arena);
    host.resize(host.context, board, sizeof *board, 0);
}
