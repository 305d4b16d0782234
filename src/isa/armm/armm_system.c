/* armm_system.c — the system control space at 0xE000E000: SysTick, NVIC, and the registers of the system control block
 * (B3.2 to B3.4). Devices see accesses at the first cycle of the instruction that makes them. */
#include "base/bytes.h"
#include "isa/armm/armm_core.h"

#define SPACE 0xE000E000u
enum { SPACE_SIZE = 0x1000 };

bool armm_is_system(uint32_t address)
{
    return address - SPACE < SPACE_SIZE;
}

void armm_reset_system(oak_core *core)
{
    core->tick_on = core->tick_interrupt = core->tick_flag = false;
    core->tick_reload = core->tick_value = 0;
    oak_judged_forget(&core->kit.judged);
    core->tick_since = core->kit.time.cycles;
    core->tick_next = UINT64_MAX;
    core->shcsr_enabled = core->scr = core->vtor = core->aircr_group = 0;
    core->ccr = core->v7 ? 1u << 9 : 1u << 9 | 1u << 3;
}

/* ------------------------------------------------------------------------------------------ SysTick */

/* The counter goes down once a clock; from 0 it goes to the reload value, so that it passes to 0 every reload + 1 clocks. */
static void plan_tick(oak_core *core)
{
    core->tick_next = UINT64_MAX;
    if (!core->tick_on) return;
    if (core->tick_value) core->tick_next = core->tick_since + core->tick_value;
    else if (core->tick_reload) core->tick_next = core->tick_since + 1 + core->tick_reload;
}

uint64_t armm_advance_tick(oak_core *core, uint64_t now)
{
    if (core->tick_next <= now) {
        uint64_t period = (uint64_t)core->tick_reload + 1;
        core->tick_flag = true;
        if (core->tick_interrupt) {
            oak_service_ask(&core->kit.log, ARMM_SYSTICK, true, core->tick_next);
            armm_pend(core, ARMM_SYSTICK, true);
        }
        core->tick_since = core->tick_next;
        if (core->tick_reload) core->tick_since += (now - core->tick_next) / period * period;
        core->tick_value = 0;
        plan_tick(core);
    }
    return core->tick_interrupt ? core->tick_next : UINT64_MAX;
}

static uint32_t tick_now(const oak_core *core)
{
    uint64_t passed = core->now - core->tick_since;
    if (!core->tick_on) return core->tick_value;
    if (passed <= core->tick_value) return core->tick_value - (uint32_t)passed;
    if (!core->tick_reload) return 0;
    return core->tick_reload -
           (uint32_t)((passed - core->tick_value - 1) % ((uint64_t)core->tick_reload + 1));
}

static void hold_tick(oak_core *core)
{
    armm_advance_tick(core, core->now);
    core->tick_value = tick_now(core);
    core->tick_since = core->now;
}

static uint32_t read_tick(oak_core *core, uint32_t offset)
{
    armm_advance_tick(core, core->now);
    switch (offset) {
    case 0x010: {
        uint32_t value = (uint32_t)core->tick_on | (uint32_t)core->tick_interrupt << 1 | 4u |
                         (uint32_t)core->tick_flag << 16;
        if (core->tick_flag) oak_judged_forget(&core->kit.judged);
        core->tick_flag = false;
        return value;
    }
    case 0x014: return core->tick_reload;
    case 0x018: return tick_now(core);
    default: return 1u << 31; /* no reference clock */
    }
}

static void write_tick(oak_core *core, uint32_t offset, uint32_t value)
{
    hold_tick(core);
    if (offset == 0x010) {
        core->tick_on = value & 1;
        core->tick_interrupt = value >> 1 & 1;
    } else if (offset == 0x014) {
        core->tick_reload = value & 0xFFFFFF;
    } else if (offset == 0x018) {
        core->tick_value = 0;
        core->tick_flag = false;
    }
    plan_tick(core);
    core->kit.attention = true;
}

oak_status armm_system_course(const oak_core *core, uint32_t address, oak_course *course)
{
    uint64_t now = core->kit.time.cycles;
    uint32_t offset = address - SPACE;
    *course = (oak_course){.until = core->tick_next};
    if (offset < 0x010 || offset > 0x01C || offset & 3) return OAK_UNSUPPORTED;
    if (offset != 0x018 || !core->tick_on) return OAK_OK;
    course->step =
        1; /* from its value at `since` down to 0, and then, a clock later, from the reload value */
    course->down = true;
    course->mask = 0xFFFFFF;
    course->from = core->tick_since;
    course->value = core->tick_value;
    if (now - core->tick_since <= core->tick_value) {
        oak_course_ends(course, core->tick_since + core->tick_value + 1);
    } else if (core->tick_reload) {
        course->from += (uint64_t)core->tick_value + 1;
        course->value = core->tick_reload;
    } else course->step = 0;
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ NVIC */

/* 32 interrupts of a register of one bit each: enable, pending, active. */
static uint8_t *line_bits(oak_core *core, uint32_t offset)
{
    switch (offset & 0x380) {
    case 0x100:
    case 0x180: return core->enabled;
    case 0x200:
    case 0x280: return core->pending;
    default: return core->active;
    }
}

static uint32_t read_lines(oak_core *core, uint32_t offset)
{
    const uint8_t *bits = line_bits(core, offset);
    uint32_t first = (offset & 0x7C) * 8, value = 0;
    for (unsigned i = 0; i < 32 && first + i < core->kit.setup.interrupt_count; i++)
        value |= (uint32_t)armm_bit(bits, ARMM_INTERRUPT + first + i) << i;
    return value;
}

/* The program makes it pending, or takes that back. */
static void pend_now(oak_core *core, unsigned number, bool on)
{
    oak_service_ask(&core->kit.log, number, on, core->now);
    armm_pend(core, number, on);
}

static void write_lines(oak_core *core, uint32_t offset, uint32_t value)
{
    uint8_t *bits = line_bits(core, offset);
    uint32_t first = (offset & 0x7C) * 8;
    bool on = !(offset & 0x80), set;
    for (unsigned i = 0; i < 32 && first + i < core->kit.setup.interrupt_count; i++) {
        unsigned number = ARMM_INTERRUPT + first + i;
        if (!(value >> i & 1)) continue;
        set = on || (bits == core->pending && armm_bit(core->level, number));
        if (bits == core->pending) pend_now(core, number, set);
        else armm_put_bit(bits, number, set);
    }
    core->kit.attention = true;
}

static uint32_t read_priorities(const oak_core *core, unsigned first)
{
    uint32_t value = 0;
    for (unsigned i = 0; i < 4; i++)
        if (first + i < ARMM_EXCEPTIONS) value |= (uint32_t)core->priority[first + i] << (8 * i);
    return value;
}

static void write_priorities(oak_core *core, unsigned first, uint32_t value)
{
    uint8_t kept = (uint8_t)(0xFF << (8 - core->kit.setup.priority_bits));
    for (unsigned i = 0; i < 4; i++) {
        unsigned number = first + i;
        bool is_there = number >= ARMM_INTERRUPT ? number < ARMM_INTERRUPT + core->kit.setup.interrupt_count
                        : core->v7               ? number >= ARMM_MEM_MANAGE
                                                 : number == ARMM_SVCALL || number >= ARMM_PENDSV;
        if (is_there) core->priority[number] = (uint8_t)(value >> (8 * i)) & kept;
    }
    core->kit.attention = true;
}

/* ------------------------------------------------------------------------------------------ system control block */

static uint32_t read_icsr(const oak_core *core)
{
    unsigned pending = 0, active = 0;
    bool interrupts = false;
    for (unsigned i = 1; i < 16 + core->kit.setup.interrupt_count; i++) {
        active += armm_bit(core->active, i);
        if (!armm_bit(core->pending, i) || !armm_bit(core->enabled, i)) continue;
        interrupts = interrupts || i >= ARMM_INTERRUPT;
        if (!pending || core->priority[i] < core->priority[pending]) pending = i;
    }
    return core->ipsr | (uint32_t)(active <= 1 && core->v7) << 11 | pending << 12 |
           (uint32_t)interrupts << 22 | (uint32_t)armm_bit(core->pending, ARMM_SYSTICK) << 26 |
           (uint32_t)armm_bit(core->pending, ARMM_PENDSV) << 28 |
           (uint32_t)armm_bit(core->pending, ARMM_NMI) << 31;
}

static void write_icsr(oak_core *core, uint32_t value)
{
    if (value >> 25 & 1) pend_now(core, ARMM_SYSTICK, false);
    if (value >> 26 & 1) pend_now(core, ARMM_SYSTICK, true);
    if (value >> 27 & 1) pend_now(core, ARMM_PENDSV, false);
    if (value >> 28 & 1) pend_now(core, ARMM_PENDSV, true);
    if (value >> 31) pend_now(core, ARMM_NMI, true);
    core->kit.attention = true;
}

static uint32_t read_shcsr(const oak_core *core)
{
    uint32_t value = core->shcsr_enabled;
    static const struct {
        uint8_t bit, exception;
    } actives[] = {{0, 4}, {1, 5}, {3, 6}, {7, 11}, {8, 12}, {10, 14}, {11, 15}},
      pendings[] = {{12, 6}, {13, 4}, {14, 5}, {15, 11}};
    for (unsigned i = 0; i < 7 && core->v7; i++)
        value |= (uint32_t)armm_bit(core->active, actives[i].exception) << actives[i].bit;
    for (unsigned i = 0; i < 4; i++)
        if (core->v7 || i == 3)
            value |= (uint32_t)armm_bit(core->pending, pendings[i].exception) << pendings[i].bit;
    return value;
}

bool armm_system_read(oak_core *core, uint32_t address, uint32_t *value)
{
    uint32_t offset = address - SPACE;
    *value = 0;
    if (offset >= 0x010 && offset <= 0x01C) *value = read_tick(core, offset);
    else if (offset >= 0x100 && offset < 0x400) {
        if (offset >= 0x300 && !core->v7) return true;
        *value = read_lines(core, offset);
    } else if (offset >= 0x400 && offset < 0x400 + ARMM_MOST_LINES)
        *value = read_priorities(core, ARMM_INTERRUPT + (offset - 0x400));
    else {
        switch (offset) {
        case 0x004: *value = core->v7 ? (core->kit.setup.interrupt_count + 31) / 32 - 1 : 0; break;
        case 0xD00: *value = core->v7 ? 0x410FC230u : 0x410CC200u; break;
        case 0xD04: *value = read_icsr(core); break;
        case 0xD08: *value = core->vtor; break;
        case 0xD0C: *value = 0xFA050000u | core->aircr_group << 8; break;
        case 0xD10: *value = core->scr; break;
        case 0xD14: *value = core->ccr; break;
        case 0xD18:
        case 0xD1C:
        case 0xD20: *value = read_priorities(core, 4 + (offset - 0xD18)); break;
        case 0xD24: *value = read_shcsr(core); break;
        case 0xD28: *value = core->cfsr; break;
        case 0xD2C: *value = core->hfsr; break;
        case 0xD34: *value = core->mmfar; break;
        case 0xD38: *value = core->bfar; break;
        default: break; /* reserved: reads as 0 */
        }
    }
    return true;
}

bool armm_system_write(oak_core *core, uint32_t address, uint32_t value)
{
    uint32_t offset = address - SPACE;
    core->kit.attention = true;
    oak_judged_forget(&core->kit.judged);
    if (offset >= 0x010 && offset <= 0x01C) write_tick(core, offset, value);
    else if (offset >= 0x100 && offset < 0x300) write_lines(core, offset, value);
    else if (offset >= 0x400 && offset < 0x400 + ARMM_MOST_LINES)
        write_priorities(core, ARMM_INTERRUPT + (offset - 0x400), value);
    else {
        switch (offset) {
        case 0xD04: write_icsr(core, value); break;
        case 0xD08:
            if (core->v7) core->vtor = value & 0x3FFFFF80u;
            break;
        case 0xD0C:
            if (value >> 16 != 0x05FA) break; /* the key is missing: nothing is written */
            if (core->v7) core->aircr_group = value >> 8 & 7;
            if (value & 4) core->kit.resets = true;
            break;
        case 0xD10: core->scr = value & 0x16; break;
        case 0xD14:
            if (!core->v7) break;
            core->ccr = (value & 0x31B) | 1u << 9;
            armm_set_alignment(core);
            break;
        case 0xD18:
        case 0xD1C:
        case 0xD20: write_priorities(core, 4 + (offset - 0xD18), value); break;
        case 0xD24:
            if (core->v7) core->shcsr_enabled = value & 0x70000;
            break;
        case 0xD28: core->cfsr &= ~value; break;
        case 0xD2C: core->hfsr &= ~value; break;
        case 0xD34: core->mmfar = value; break;
        case 0xD38: core->bfar = value; break;
        case 0xF00:
            if (core->v7 && (value & 0x1FF) < core->kit.setup.interrupt_count)
                pend_now(core, ARMM_INTERRUPT + (value & 0x1FF), true);
            break;
        default: break;
        }
    }
    return true;
}
