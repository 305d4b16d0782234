/* run.c — the run around the loop: events, budgets, interrupts, sleep, jumps to themselves, devices that end it. */
#include "base/bytes.h"
#include "base/invariant.h"
#include "isa/kit/kit.h"

/* Brings the devices to the present and finds the next cycle at which something may happen. */
static void attend(oak_core *core)
{
    kit_core *kit = kit_of(core);
    kit->time.cycles += kit->stalled;
    uint64_t now = kit->time.cycles;
    kit->attention = false;
    kit->stalled = 0;
    if (kit->next_device <= now)
        kit->next_device = kit->setup.advance ? kit->setup.advance(kit->setup.machine, now) : UINT64_MAX;
    uint64_t noticed = kit->arch->noticed_at(core);
    kit->next_event = noticed < kit->next_device ? noticed : kit->next_device;
}

void kit_attend(oak_core *core)
{
    kit_of(core)->attention = true;
    kit_of(core)->next_device = 0;
}

void kit_stall(oak_core *core, uint32_t cycles)
{
    kit_of(core)->stalled += cycles;
    kit_of(core)->attention = true;
}

void kit_strike(oak_core *core, const oak_notice *notice, bool ends_run, bool resets)
{
    kit_core *kit = kit_of(core);
    if (ends_run) {
        kit->fault = notice->fault;
        kit->fault_space = notice->space;
        kit->fault_address = notice->address;
    }
    kit->struck |= ends_run;
    kit->resets |= resets; /* when the run goes on */
    kit->attention = true;
}

static void fill_stop(const oak_core *core, oak_stop_reason reason, oak_stop *stop)
{
    const kit_core *kit = kit_look(core);
    *stop = (oak_stop){.reason = reason, .pc = kit_address(core, kit->pc)};
    if (reason == OAK_STOP_WATCH)
        stop->watched = kit->watch_hits, stop->watched_pc = kit_address(core, kit->watch_pc);
    if (reason == OAK_STOP_FAULT) {
        stop->fault = kit->fault;
        stop->fault_space = kit->fault_space;
        stop->fault_address = kit->fault_address;
    }
    if (kit->arch->explain) kit->arch->explain(core, stop);
}

/* Nothing inside or outside the chip can end this sleep or loop. */
static bool is_lost(const oak_core *core)
{
    const kit_core *kit = kit_look(core);
    bool resets = kit->setup.resets_at && kit->setup.resets_at(kit->setup.machine) != UINT64_MAX;
    return kit->next_event == UINT64_MAX || (kit->arch->deaf(core) && !resets);
}

/* Goes round a jump to itself until something may happen; false when nothing ever will. */
static bool circle(oak_core *core, uint64_t until_cycle, uint64_t until_instruction)
{
    kit_core *kit = kit_of(core);
    if (is_lost(core) && !kit->blocked) return false;
    uint64_t until = kit->next_event < until_cycle ? kit->next_event : until_cycle;
    uint64_t cycles =
        kit->arch->round ? kit->arch->round(core) : kit->own_cycles[kit->row[kit->pc] - KIT_FIRST_ROW];
    uint32_t slot = kit->arch->slot ? kit->arch->slot(core, kit->pc) : kit->pc;
    uint64_t rounds = until > kit->time.cycles ? (until - kit->time.cycles + cycles - 1) / cycles : 1;
    uint64_t most = until_instruction - kit->time.instructions;
    if (rounds > most) rounds = most;
    if (kit->blocked) rounds = 1, kit->attention = true;
    kit->time.cycles += rounds * cycles;
    kit->time.instructions += rounds;
    if (kit->tallies.at) oak_tallies_add(&kit->tallies, slot, rounds, rounds * cycles);
    kit->blocked = false;
    return true;
}

/* One stretch of at most `left` cycles: whole chains while they fit, then single instructions. */
static kit_exit run_stretch(oak_core *core, uint64_t left, bool first)
{
    enum { SLICE = 1 << 30 };
    kit_core *kit = kit_of(core);
    uint64_t end = kit->time.cycles + left, before = kit->time.instructions;
    kit_exit exit = KIT_EXIT_TIME;
    bool was_blocked = kit->blocked;
    kit->counting |= kit->counts != NULL;
    if (!first && left > 1 && !was_blocked)
        exit = (kit->judged.way == OAK_WAY_QUICK ? kit->arch->run_kept
                : kit->judged.count              ? kit->arch->run_judged
                : kit->counts                    ? kit->arch->run_counted
                              : kit->arch->run_chains)(core, left < SLICE ? (uint32_t)left : SLICE);
    if (kit->judged.count && kit_judged(core)) return KIT_EXIT_EVENT; /* or where it is */
    if ((exit != KIT_EXIT_TIME && exit != KIT_EXIT_WATCH) || kit->time.cycles >= end) return exit;
    if ((!first || kit->time.instructions != before) && kit->stop_at[kit->pc]) return KIT_EXIT_STOP;
    left = first || was_blocked || exit == KIT_EXIT_WATCH ? 1 : end - kit->time.cycles;
    if (left > SLICE) return exit;
    kit->blocked = false;
    before = kit->time.instructions;
    exit = kit->arch->run_singly(core, (uint32_t)left);
    OAK_INVARIANT(kit->pc < kit->span && kit->time.instructions >= before);
    if (kit->time.instructions == before) kit->blocked = was_blocked; /* it has not been executed */
    else if (was_blocked) kit->attention = true;
    return exit;
}

/* The reset by a watchdog. Time goes on. */
static void reset_itself(oak_core *core)
{
    kit_core *kit = kit_of(core);
    kit_watch_registers(core, 0, kit->arch->isa->about.register_count);
    kit_reset_chip(core);
    if (kit->setup.reset_devices) kit->setup.reset_devices(kit->setup.machine);
}

/* What calls for attention between two instructions: true when it is to be looked at again. */
static bool serve(oak_core *core, bool *first)
{
    kit_core *kit = kit_of(core);
    attend(core);
    if (kit->resets && !kit->struck) {
        reset_itself(core);
        *first = false;
        return true;
    }
    if (kit->blocked || kit->struck || !kit->arch->interrupt(core)) return false;
    oak_service_begins(&kit->log, kit->time.cycles);
    *first = false;
    return true; /* a more urgent one may follow at once */
}

/* Every instruction takes a cycle or more, so a run of n cycles executes at most n instructions: both budgets are
 * kept by running whole chains inside the smaller one and single instructions for the rest. */
void kit_run(oak_core *core, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop)
{
    kit_core *kit = kit_of(core);
    bool first = true;
    kit->used = true;
    kit->halted = false;
    if (kit->arch->starts && !kit->arch->starts(core)) {
        fill_stop(core, OAK_STOP_FAULT, stop);
        return;
    }
    if (kit->judged.count) oak_judged_begin(&kit->judged, core);
    if (kit->resets) reset_itself(core), first = false; /* it arrives where a reset leads */
    for (;;) {
        if (kit->judged.count) kit_judged(core);
        if (kit->attention || kit->time.cycles >= kit->next_event) {
            if (serve(core, &first)) continue;
            if (kit->struck || kit->faulted) { /* whatever sets these calls for attention, too */
                kit->struck = kit->faulted = false;
                fill_stop(core, OAK_STOP_FAULT, stop);
                return;
            }
            if (kit->halted && kit->time.cycles < until_cycle) {
                kit->halted = false;
                fill_stop(core, OAK_STOP_USER, stop);
                return;
            }
            if (kit->watch_hits ||
                kit->judged.hit) { /* behind an interrupt that comes here, as behind a step */
                fill_stop(core, OAK_STOP_WATCH, stop);
                kit->watch_hits = 0;
                kit->judged.hit = false;
                return;
            }
        }
        if (kit->time.cycles >= until_cycle || kit->time.instructions >= until_instruction) {
            bool by_time = kit->time.cycles >= until_cycle;
            fill_stop(core, by_time ? OAK_STOP_CYCLES : OAK_STOP_STEPS, stop);
            return;
        }
        if (kit->attention || kit->time.cycles >= kit->next_event) continue;
        uint64_t until = kit->next_event < until_cycle ? kit->next_event : until_cycle;
        unsigned asleep = kit->arch->asleep ? kit->arch->asleep(core) : 0;
        if (asleep) {
            if (asleep == 1 && !is_lost(core)) {
                if (until > kit->time.cycles) kit->time.asleep += until - kit->time.cycles;
                kit->time.cycles = until;
                continue;
            }
            fill_stop(core, OAK_STOP_PARKED, stop);
            stop->asleep = true;
            return;
        }
        uint64_t left = until - kit->time.cycles, steps = until_instruction - kit->time.instructions;
        kit_exit exit =
            (kit->arch->stretch ? kit->arch->stretch : run_stretch)(core, steps < left ? steps : left, first);
        if (kit->overwritten) kit_forget_overwritten(core);
        if (kit->nowhere_used >= KIT_CROWDED) kit_forget(core);
        first = exit == KIT_EXIT_HELP; /* the same instruction again, also when a stop point is there */
        if (first && kit->arch->help && kit->arch->help(core)) continue;
        if (first) exit = KIT_EXIT_FAULT;
        first = false;
        if (exit == KIT_EXIT_RAISED && kit->arch->raised(core)) continue;
        if (exit == KIT_EXIT_RAISED) exit = KIT_EXIT_FAULT;
        if (exit == KIT_EXIT_FAULT && kit->arch->traps && kit->arch->traps(core)) continue;
        if (exit == KIT_EXIT_PARKED && circle(core, until_cycle, until_instruction)) continue;
        if (exit == KIT_EXIT_STOP || exit == KIT_EXIT_PARKED || exit == KIT_EXIT_FAULT) {
            fill_stop(core,
                      exit == KIT_EXIT_STOP     ? OAK_STOP_POINT
                      : exit == KIT_EXIT_PARKED ? OAK_STOP_PARKED
                                                : OAK_STOP_FAULT,
                      stop);
            return;
        }
    }
}
