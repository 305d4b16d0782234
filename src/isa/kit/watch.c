/* watch.c — watched cells: what an instruction reaches, and whether somebody wants to know.
 *
 * An instruction that may reach a watched cell gets a handler of its own, which looks; all others run as ever. What an operand
 * names is known when the instruction is decoded; what a register points to, and a bank, only when it runs. */
#include "base/bytes.h"
#include "isa/kit/table.h"

static bool is_instruction(const kit_core *kit, uint32_t pc)
{
    return kit->row[pc] >= KIT_FIRST_ROW;
}

/* A register as the cells it is; false for the program counter, which every instruction writes. */
static bool register_lies(const oak_architecture *about, kit_wanted *one)
{
    oak_watched *cells = &one->cells;
    if (cells->address >= about->register_count || cells->address == about->pc_register) return false;
    cells->size = 1;
    const oak_register_cells *lies = kit_cells_of(about, cells->address);
    if (!lies) return true;
    *cells = (oak_watched){lies->space, cells->accesses, cells->bits, lies->address, lies->size};
    one->banks = lies->banks, one->stride = lies->stride;
    return true;
}

/* Reached cells as the register they are, where they are one. */
static oak_watched named(const oak_architecture *about, const kit_reach *one)
{
    oak_watched watched = {one->space, one->accesses, one->bits == 0xFF ? 0 : one->bits, one->address,
                           one->size};
    for (unsigned i = 0; one->space && i < about->cells_count; i++) { /* a pair of them has a name, too */
        const oak_register_cells *cells = &about->cells[i];
        if (one->space != OAK_REGISTER_FILE) break;
        if (cells->space != one->space || cells->address != one->address || cells->size != one->size)
            continue;
        watched.space = 0, watched.size = 1, watched.address = cells->reg;
        return watched;
    }
    for (unsigned i = 0; one->space && i < about->cells_count; i++) {
        const oak_register_cells *cells = &about->cells[i];
        bool banked = one->banks && cells->banks && one->address % one->stride == cells->address;
        bool inside = !cells->banks && one->address - cells->address < cells->size;
        if (cells->space != one->space || !(banked || inside)) continue;
        watched.space = 0, watched.size = 1, watched.address = cells->reg;
        break;
    }
    return watched;
}

/* The register in use that one of another mode may be: "sp" of "sp_irq"; itself where it is none. */
static unsigned in_use(const oak_architecture *about, unsigned reg)
{
    const char *name = about->registers[reg].name;
    size_t length = 0;
    if (!about->banked_from || reg < about->banked_from) return reg;
    while (name[length] && name[length] != '_') length++;
    for (unsigned i = 0; i < about->banked_from; i++)
        if (oak_same_name(name, length, about->registers[i].name)) return i;
    return reg;
}

static unsigned find_reached(const oak_core *core, uint32_t pc, bool may, kit_reach *list)
{
    return is_instruction(kit_look(core), pc) ? kit_reached(core, pc, may, list) : 0;
}

unsigned kit_touches(oak_core *core, oak_watched *list, unsigned room)
{
    kit_core *kit = kit_of(core);
    kit_reach reached[KIT_MOST_REACHED];
    uint32_t pc = kit->pc % kit->span;
    if (!kit->row[pc]) kit_decode_chain(core, pc);
    unsigned count = 0, found = find_reached(core, pc, false, reached);
    for (unsigned i = 0; i < found; i++) {
        oak_watched one = named(&kit->arch->isa->about, &reached[i]);
        bool restless = !one.space && one.address + 1 == kit->arch->isa->about.restless_register;
        if (restless && one.accesses == KIT_WRITES) continue; /* they all do */
        uint32_t bytes = one.size, size = one.space ? kit->space[one.space].size
                                                    : UINT32_MAX; /* of a space that is one stretch */
        bool whole = one.space && (bytes == 2 || bytes == 4) && bytes <= kit->arch->isa->about.word_bytes &&
                     one.address <= UINT32_MAX - bytes &&
                     !kit_stretch(core, one.space, one.address) ==
                         !kit_stretch(core, one.space, one.address + bytes - 1);
        if (whole) { /* one value */
            count = oak_touch(list, count, room, &one);
            continue;
        }
        uint32_t word = kit->arch->isa->about.word_bytes;
        bool words = one.space && word > 2 && bytes > word && bytes % word == 0 &&
                     one.address <= UINT32_MAX - bytes && kit_stretch(core, one.space, one.address) &&
                     kit_stretch(core, one.space, one.address) ==
                         kit_stretch(core, one.space, one.address + bytes - 1);
        one.size = words ? word : 1; /* several registers are several words */
        for (uint32_t at = 0; words && at < bytes; at += word) {
            oak_watched part = one;
            part.address += at;
            count = oak_touch(list, count, room, &part);
        }
        for (uint32_t b = 0; b < bytes && !words; b++) {
            oak_watched byte = one;
            byte.address += b;
            bool wraps = size && size < UINT32_MAX && !(size & (size - 1)) && !kit->space[one.space].first;
            bool there = !one.space || kit_stretch(core, one.space, byte.address);
            if (b && wraps && !there) byte.address &= size - 1; /* a stack may wrap round */
            count = oak_touch(list, count, room, &byte);
        }
    }
    return count;
}

bool kit_may_reach(const oak_core *core, uint32_t pc, const kit_wanted *wanted, unsigned wanted_count)
{
    kit_reach list[KIT_MOST_REACHED];
    unsigned count = find_reached(core, pc, true, list);
    for (unsigned i = 0; i < count; i++)
        for (const kit_wanted *want = wanted; want < wanted + wanted_count; want++) {
            if (!kit_wants(&want->cells, &list[i])) continue;
            if (!list[i].known && !list[i].banks) return true;
            unsigned banks = list[i].banks > want->banks ? list[i].banks : want->banks;
            for (unsigned bank = 0; bank < (banks ? banks : 1); bank++) {
                kit_reach one = list[i];
                if (one.banks) one.address = one.address % one.stride + one.stride * bank;
                if (kit_overlaps(want->cells.address + want->stride * bank, want->cells.size, &one))
                    return true;
            }
        }
    return false;
}

uint16_t kit_may_change(const oak_core *core, uint32_t pc)
{
    const oak_judged *judged = &kit_look(core)->judged;
    unsigned which = kit_look(core)->judged_always;
    oak_decoded decoded;
    for (unsigned i = 0; i < judged->count; i++)
        if (!((which | judged->goes) >> i & 1))
            which |= (unsigned)kit_may_reach(core, pc, kit_look(core)->judges[i], 2) << i;
    if (judged->goes && !kit_decode_at(core, pc, &decoded))
        which |= oak_judged_goes(judged, which, decoded.flow, kit_address(core, pc));
    return (uint16_t)which;
}

/* Somebody reaches these cells, by the instruction at `pc`. */
static void note(oak_core *core, const kit_reach *one, uint32_t pc)
{
    kit_core *kit = kit_of(core);
    for (unsigned w = 0; w < kit->watched_count; w++) {
        const oak_watched *watched = &kit->watched[w].cells;
        if (!kit_meets(core, &kit->watched[w], one)) continue;
        if (watched->accesses & one->accesses) kit->watch_hits |= (uint32_t)1 << w, kit->watch_pc = pc;
        if (!(watched->accesses & OAK_ACCESS_CHANGE)) continue;
        for (uint32_t at = one->address; at < one->address + one->size; at++) {
            uint8_t *cell = kit_cells(core, one->space, at, 1);
            bool inside = at >= watched->address && at - watched->address < watched->size;
            if (!cell || !inside || kit->written_count == KIT_MOST_WRITTEN) continue;
            kit->written[kit->written_count++] =
                (struct kit_written){.number = (uint8_t)w,
                                     .value = *cell,
                                     .bits = watched->bits ? watched->bits : 0xFF,
                                     .cell = cell};
            kit->watch_pc = pc;
        }
    }
}

void kit_watch_begin(oak_core *core, uint32_t pc)
{
    kit_core *kit = kit_of(core);
    kit->judged_pc = pc;
    if (!kit->watched_count) return;
    kit_reach list[KIT_MOST_REACHED];
    unsigned count = find_reached(core, pc, false, list);
    kit->written_count = 0;
    for (unsigned i = 0; i < count; i++) note(core, &list[i], pc);
}

void kit_watch_registers(oak_core *core, unsigned first, unsigned count)
{
    kit_core *kit = kit_of(core);
    for (unsigned reg = first; reg < first + count && kit->watched_count; reg++) {
        const kit_reach one = kit_register_written(&kit->arch->isa->about, reg);
        note(core, &one, kit->pc);
    }
    if (kit->watch_hits) kit->attention = true;
}

void kit_watch_entry(oak_core *core, uint32_t vector)
{
    kit_core *kit = kit_of(core);
    kit_reach list[KIT_MOST_REACHED];
    unsigned count = kit_entry(core, list);
    kit->judged_pc = kit->pc;
    kit->written_count = 0;
    for (unsigned i = 0; i < count; i++) note(core, &list[i], kit->pc);
    for (const uint8_t *reg = kit->arch->entry_writes; *reg; reg++) kit_watch_registers(core, *reg - 1u, 1);
    for (unsigned w = 0; w < kit->watched_count; w++) {
        const oak_watched *one = &kit->watched[w].cells;
        if (!(one->accesses & OAK_ACCESS_HANDLER) || (one->size && one->address != vector)) continue;
        kit->watch_hits |= (uint32_t)1 << w;
        kit->watch_pc = kit->pc;
    }
}

void kit_watch_end(oak_core *core)
{
    kit_core *kit = kit_of(core);
    for (unsigned i = 0; i < kit->written_count; i++)
        if ((*kit->written[i].cell ^ kit->written[i].value) & kit->written[i].bits)
            kit->watch_hits |= (uint32_t)1 << kit->written[i].number;
    kit->written_count = 0;
    if (kit->watch_hits) kit->attention = true;
    if (kit->judged.count) kit_judged(core);
}

/* Changes of what a program does not simply keep are for somebody else to see. */
static bool can_be_seen(const oak_core *core, const oak_watched *one)
{
    if (one->space == OAK_REGISTER_FILE) return true;
    const oak_space_info *space = &kit_look(core)->arch->isa->about.spaces[one->space];
    const kit_space *cells = kit_stretch(core, one->space, one->address);
    bool memory = !space->special && !space->of_bits && cells && !cells->known;
    return !space->of_bits && (memory || !(one->accesses & OAK_ACCESS_CHANGE));
}

oak_status kit_watch(oak_core *core, const oak_watched *asked, unsigned count)
{
    kit_core *kit = kit_of(core);
    kit_wanted watched[OAK_MOST_WATCHED];
    if (count > OAK_MOST_WATCHED) return OAK_UNSUPPORTED;
    for (unsigned i = 0; i < count; i++) {
        watched[i] = (kit_wanted){.cells = asked[i]};
        bool handler = asked[i].accesses & OAK_ACCESS_HANDLER, is_register = !asked[i].space && !handler;
        if (is_register && asked[i].address < kit->arch->isa->about.register_count &&
            in_use(&kit->arch->isa->about, asked[i].address) != asked[i].address)
            return OAK_UNSUPPORTED;
        if (is_register &&
            ((asked[i].accesses & OAK_ACCESS_CHANGE) || !register_lies(&kit->arch->isa->about, &watched[i])))
            return OAK_UNSUPPORTED;
        if (!watched[i].cells.size && !handler) return OAK_OUT_OF_RANGE;
        if (!handler && !can_be_seen(core, &watched[i].cells)) return OAK_UNSUPPORTED;
    }
    for (unsigned i = 0; i < count; i++) kit->watched[i] = watched[i];
    kit->watched_count = count;
    kit->watching++;
    kit->observed = count || kit->tallies.at || kit->judged.count;
    kit->watch_hits = kit->written_count = 0;
    kit_choose_handlers(core);
    return OAK_OK;
}

oak_status kit_judge(oak_core *core, const oak_judge *judge)
{
    kit_core *kit = kit_of(core);
    const oak_architecture *about = &kit->arch->isa->about;
    oak_status status = oak_judged_set(&kit->judged, kit->arch->isa, &kit->setup, core, judge);
    kit->judged.cells = kit_cells;
    kit->judged_always = 0;
    for (unsigned i = 0; !status && i < kit->judged.count; i++) {
        oak_watched *cells = &kit->judged.value[i].cells;
        const struct kit_register *lies = kit->arch->registers_at;
        for (unsigned c = 0; cells->space && c < about->cells_count; c++) { /* a register in other words */
            const oak_register_cells *one = &about->cells[c];
            unsigned bits = 8 * one->size * oak_unit_bytes(about, one->space);
            if (one->space != cells->space || one->address != cells->address || one->size != cells->size ||
                one->banks)
                continue;
            if (bits < 32) kit->judged.value[i].mask &= (1u << bits) - 1; /* the program counter has more */
            *cells = (oak_watched){.accesses = one->reg == about->pc_register ? OAK_ACCESS_CHANGE : 0,
                                   .address = one->reg,
                                   .size = 1};
        }
        const bool goes = kit->judged.goes >> i & 1;
        if (cells->accesses & OAK_ACCESS_CHANGE || goes) {
            if (!goes) kit->judged_always |= (uint16_t)(1u << i);
            kit->judges[i][0] = kit->judges[i][1] = (kit_wanted){.cells = *cells};
            kit->judges[i][0].cells.accesses = kit->judges[i][1].cells.accesses = 0;
            if (goes || cells->space || cells->address != about->pc_register) continue;
            kit->judged.value[i].kind = OAK_JUDGED_PC;
            kit->judged.asked &= ~(1u << i);
            continue;
        }
        kit_wanted *judges = kit->judges[i];
        judges[0] = judges[1] = (kit_wanted){.cells = *cells};
        judges[0].cells.accesses = OAK_ACCESS_WRITE;
        judges[1].cells.accesses = 0;
        if (oak_judged_is_stretch(cells)) continue;
        unsigned bytes = cells->size * oak_unit_bytes(about, cells->space);
        const uint8_t *at = kit_cells(core, cells->space, cells->address, bytes);
        if (cells->space && at && !about->spaces[cells->space].special)
            oak_judged_at(&kit->judged, i, at, bytes, false,
                          kit_cells(core, cells->space, cells->address, 4) ? 4 : bytes);
        if (cells->space) continue;
        kit->judged.value[i].kind = OAK_JUDGED_REGISTER;
        kit->judged.asked &= ~(1u << i);
        judges[0].cells.address = in_use(about, cells->address);
        if (judges[0].cells.address != cells->address) /* or another mode makes it the one in use */
            judges[1].cells =
                (oak_watched){.accesses = OAK_ACCESS_WRITE, .address = about->flags[0].reg, .size = 1};
        (void)register_lies(about, &judges[0]);
        if (judges[0].banks && about->bank_flag) {
            const oak_flag_info *flag = &about->flags[about->bank_flag - 1];
            judges[1].cells = (oak_watched){.accesses = OAK_ACCESS_WRITE,
                                            .bits = (uint8_t)(((1u << flag->width) - 1) << flag->bit),
                                            .address = flag->reg};
            const uint8_t *first = kit_cells(core, judges[0].cells.space, judges[0].cells.address, 1);
            if (register_lies(about, &judges[1]) && judges[1].cells.space && first &&
                judges[0].stride == 1u << flag->bit)
                oak_judged_in_bank(&kit->judged, i, first,
                                   kit_cells(core, judges[1].cells.space, judges[1].cells.address, 1),
                                   judges[1].cells.bits,
                                   kit_cells(core, judges[0].cells.space,
                                             judges[0].cells.address + judges[1].cells.bits, 4) != NULL);
        }
        for (unsigned f = 0; f < about->flag_count; f++) {
            const oak_flag_info *flag = &about->flags[f];
            if (flag->reg != cells->address || !(kit->judged.value[i].mask >> flag->bit & 1) ||
                !flag->follows)
                continue;
            judges[1].cells = (oak_watched){.accesses = OAK_ACCESS_WRITE, .address = flag->follows};
            (void)register_lies(about, &judges[1]);
        }
        if (lies && lies[cells->address].bytes)
            oak_judged_at(&kit->judged, i, (const uint8_t *)core + lies[cells->address].offset,
                          lies[cells->address].bytes, !lies[cells->address].pair,
                          kit->arch->core_size - lies[cells->address].offset);
        else if (kit->arch->status && cells->address == about->flags[0].reg)
            oak_judged_by(&kit->judged, i, kit->arch->status);
    }
    const oak_watched *one = &kit->judged.value[0].cells;
    oak_judged_placed(&kit->judged, !one->space && one->address == about->pc_register,
                      !one->space && one->address + 1 == about->restless_register);
    kit->observed = kit->watched_count || kit->tallies.at || kit->judged.count;
    kit_choose_handlers(core);
    return status;
}
