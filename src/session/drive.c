/* drive.c — pins driven over time.
 *
 *   PIN = LEVEL [for TIME | until TIME] { , LEVEL … } [ , repeat ]
 *
 * Times are kept as cycles plus picoseconds and turned into a cycle only to compare, so that nothing drifts. */
#include "base/bytes.h"
#include "session/session_state.h"
#include <oakspindle/print.h>

enum { MOST_ITEMS = 10000 };

typedef struct drive_reader {
    oak_session *session;
    const char *text, *at, *end;
    oak_expr_fault fault;
} drive_reader;

static oak_status fault(drive_reader *reader, const char *from, const char *to, const char *message)
{
    reader->fault.code = "drive";
    reader->fault.first = (uint16_t)(from - reader->text);
    reader->fault.last = (uint16_t)((to > from ? to : from + 1) - reader->text);
    oak_format(reader->fault.message, sizeof reader->fault.message, "%s", message);
    oak_format(reader->fault.hint, sizeof reader->fault.hint,
               "Write `p1.0 = 1 until 40ms, 0` or `p3.4 = 1 for 2ms, 0 for 2ms, repeat`.");
    return OAK_REFUSED;
}

static void skip(drive_reader *reader)
{
    while (reader->at < reader->end && (*reader->at == ' ' || *reader->at == '\t')) reader->at++;
}

static size_t take_word(drive_reader *reader)
{
    skip(reader);
    size_t length = 0;
    while (reader->at + length < reader->end &&
           (oak_is_word(reader->at[length]) || reader->at[length] == '.'))
        length++;
    return length;
}

static oak_status read_time(drive_reader *reader, drive_item *item)
{
    skip(reader);
    const char *start = reader->at;
    while (reader->at < reader->end && *reader->at != ',') reader->at++;
    size_t length = (size_t)(reader->at - start);
    while (length && start[length - 1] == ' ') length--;
    static const char cycles[] = "cycles";
    enum { SUFFIX = sizeof cycles - 1 };
    item->timed = true;
    if (length > SUFFIX && oak_same_name(start + length - SUFFIX, SUFFIX, cycles)) {
        size_t digits = length - SUFFIX, used;
        while (digits && start[digits - 1] == ' ') digits--;
        if (oak_read_number(start, start + digits, &item->cycles, &used) || used != digits ||
            item->cycles >> 62)
            return fault(reader, start, start + length, "this is no count of cycles");
        return OAK_OK;
    }
    if (oak_read_time(start, length, &item->picoseconds))
        return fault(reader, start, start + length, "this is no time: write it with s, ms, us, ns or cycles");
    return OAK_OK;
}

static oak_status read_item(drive_reader *reader, drive_item *item)
{
    size_t length = take_word(reader);
    const char *word = reader->at;
    *item = (drive_item){0};
    if (length == 1 && (*word == '0' || *word == '1')) item->level = *word == '1' ? OAK_HIGH : OAK_LOW;
    else if (length == 1 && oak_lower(*word) == 'z') item->level = OAK_FLOAT;
    else return fault(reader, word, word + length, "a level is 0, 1 or z");
    reader->at += length;
    length = take_word(reader);
    word = reader->at;
    if (!length) return OAK_OK;
    item->until = oak_same_name(word, length, "until");
    if (!item->until && !oak_same_name(word, length, "for"))
        return fault(reader, word, word + length, "behind a level comes `for TIME`, `until TIME` or a comma");
    reader->at += length;
    return read_time(reader, item);
}

static oak_status read_drive(drive_reader *reader, drive *one)
{
    size_t length = take_word(reader), room = 0;
    drive_item *items = NULL;
    *one = (drive){0};
    const oak_part_register *reg;
    const oak_part_field *field;
    oak_status status = OAK_OK;
    if (!oak_part_find_pin(reader->session->part, reader->at, length, &one->pin)) {
        bool found = false;
        if (oak_part_find_field(reader->session->part, reader->at, length, &reg, &field)) {
            for (unsigned i = 0; i < reader->session->part->port_count && !found; i++) {
                if (reader->session->part->ports[i].address != reg->address) continue;
                one->pin = i * OAK_MOST_PINS + field->bit;
                found = true;
            }
        }
        if (!found) return fault(reader, reader->at, reader->at + length, "the part has no such pin");
    }
    reader->at += length;
    skip(reader);
    if (reader->at == reader->end || *reader->at != '=')
        return fault(reader, reader->at, reader->at + 1, "a = is missing behind the pin");
    reader->at++;
    bool lasts = false;
    while (!status) {
        length = take_word(reader);
        if (oak_same_name(reader->at, length, "repeat")) {
            if (!one->count || lasts)
                status = fault(reader, reader->at, reader->at + length, "nothing ends before the repeat");
            one->repeats = true;
            reader->at += length;
            break;
        }
        drive_item item;
        if (lasts) status = fault(reader, reader->at, reader->at + length, "the level before it has no end");
        else status = read_item(reader, &item);
        if (status) break;
        drive_item *grown = one->count < MOST_ITEMS ? oak_grow(&reader->session->host, items, &room,
                                                               one->count + 1u, sizeof *grown)
                                                    : NULL;
        if (!grown) {
            status = OAK_NO_MEMORY;
            break;
        }
        items = grown;
        items[one->count++] = item;
        lasts = !item.timed;
        skip(reader);
        if (reader->at == reader->end || *reader->at != ',') break;
        reader->at++;
    }
    skip(reader);
    if (!status && reader->at < reader->end)
        status = fault(reader, reader->at, reader->end, "this does not belong here");
    if (!status && one->repeats) {
        bool moves = false;
        for (unsigned i = 0; items && i < one->count; i++)
            moves = moves || (!items[i].until && (items[i].cycles || items[i].picoseconds));
        if (!moves)
            status = fault(reader, reader->text, reader->end,
                           "a repeat needs a level with `for` and a time above zero");
    }
    drive_item *kept = status ? NULL : oak_arena_take(&reader->session->arena, one->count * sizeof *kept);
    if (!status && !kept) status = OAK_NO_MEMORY;
    if (kept) memcpy(kept, items, one->count * sizeof *kept);
    one->items = kept;
    oak_release(&reader->session->host, items, room, sizeof *items);
    return status;
}

oak_status oak_session_drive(oak_session *session, const char *text, const oak_diag_sink *sink)
{
    drive_reader reader = {.session = session, .text = text, .at = text, .end = text + oak_length(text)};
    drive one;
    oak_status status = read_drive(&reader, &one);
    if (status == OAK_REFUSED) session_refuse(sink, text, &reader.fault);
    if (status) return status;
    drive *grown = oak_grow(&session->host, session->drives, &session->drive_room, session->drive_count + 1,
                            sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    session->drives = grown;
    grown[session->drive_count++] = one;
    session_attach(session);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ applying */

static uint64_t cycle_of(const oak_session *session, uint64_t cycles, uint64_t picoseconds)
{
    uint64_t more =
        oak_time_to_cycles(picoseconds, session->clock_millihertz, session->part->clocks_per_cycle);
    return more > UINT64_MAX - cycles ? UINT64_MAX : cycles + more;
}

/* Begins the next item and works out when it ends. */
static oak_level advance(drive *one)
{
    const drive_item *item = &one->items[one->next++];
    if (!item->timed) {
        one->finished = true;
    } else if (item->until) {
        one->cycles = item->cycles;
        one->picoseconds = item->picoseconds;
    } else {
        one->cycles += item->cycles;
        one->picoseconds += item->picoseconds;
    }
    if (one->next == one->count && one->repeats) {
        one->next = 0;
        while (one->items[one->next].until && one->next + 1 < one->count)
            one->next++; /* what had a fixed end is over */
    } else if (one->next == one->count) {
        one->finished = true;
    }
    return item->level;
}

uint64_t session_apply_drives(oak_session *session, uint64_t now)
{
    uint64_t soonest = UINT64_MAX;
    for (size_t i = 0; i < session->drive_count; i++) {
        drive *one = &session->drives[i];
        bool changed = false;
        oak_level level = OAK_FLOAT;
        uint64_t due = cycle_of(session, one->cycles, one->picoseconds);
        while (!one->finished && due <= now) {
            level = advance(one);
            changed = true;
            due = cycle_of(session, one->cycles, one->picoseconds);
        }
        if (changed) session->chip.ops->drive_pin(session->chip.chip, one->pin, level);
        if (!one->finished && due < soonest) soonest = due;
    }
    return soonest;
}

void session_rewind_drives(oak_session *session)
{
    for (size_t i = 0; i < session->drive_count; i++) {
        drive *one = &session->drives[i];
        one->next = 0;
        one->cycles = one->picoseconds = 0;
        one->finished = false;
    }
}
