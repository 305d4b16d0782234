/* knot.c — the made-up core: its classes of operands, registers, spaces, interrupts: all it needs beside the kit. */
#include "base/bytes.h"
#include "isa/kit/table.h"

enum { KNOT_NUMBER, KNOT_CODE, KNOT_NIB, KNOT_WIDE, KNOT_IO, KNOT_SPACES };
enum { KNOT_SPAN = 0x1000, KNOT_LEVELS = 4, KNOT_LINES = 2 };

#define KIT_TABLE        "made_up/knot.def"
#define KIT_ROW_NAME(id) KNOT_##id
#define KIT_COUNT        KNOT_ROWS
#include "isa/kit/rows.h"
#define KIT_ROWS_OF   knot_rows
#define KIT_CYCLES_OF knot_cycles
extern const oak_insn_row knot_rows[KNOT_ROWS];
extern const uint8_t knot_cycles[KNOT_ROWS];
#include "isa/kit/rows.h"

struct oak_core {
    kit_core kit;
    /* From here on: what a tape holds. */
    uint8_t w, other, c, bk, sp, line, serving, sleeping;
    uint16_t d, stk[KNOT_LEVELS];
    uint32_t p;
    uint64_t from[KNOT_LINES];
};

extern const oak_isa oak_isa_knot;

/* clang-format off */
#define REGISTERS(R) /* the halves are those of a little-endian host */                                    \
    R(PC, "pc", 12, "program counter", false, 0, KIT_AT(kit.pc))                                              \
    R(W, "w", 8, "working register", false, 0, KIT_AT(w))                                                     \
    R(D, "d", 16, "double register", false, 0, KIT_AT(d))                                                     \
    R(P, "p", 24, "pointer", false, KNOT_WIDE, KIT_AT(p))                                                     \
    R(DL, "dl", 8, "its low half", true, 0, {offsetof(oak_core, d), 1, false})                                      \
    R(DH, "dh", 8, "its high half", true, 0, {offsetof(oak_core, d) + 1, 1, false})                                 \
    R(C, "cf", 1, "carry", false, 0, KIT_AT(c))                                                               \
    R(BK, "bk", 1, "bank", false, 0, KIT_AT(bk))                                                              \
    R(SP, "sp", 3, "levels in use", false, 0, KIT_AT(sp))                                                     \
    R(S0, "stk0", 12, "return", false, 0, KIT_AT(stk[0]))                                                     \
    R(S1, "stk1", 12, "return", false, 0, KIT_AT(stk[1]))                                                     \
    R(S2, "stk2", 12, "return", false, 0, KIT_AT(stk[2]))                                                     \
    R(S3, "stk3", 12, "return", false, 0, KIT_AT(stk[3]))                                                     \
    R(OTHER, "w'", 8, "the other w", false, 0, KIT_AT(other))
#define NUMBER(id, name, bits, title, derived, points, ...) R_##id,
enum { REGISTERS(NUMBER) R_COUNT };
/* clang-format on */

/* ------------------------------------------------------------------------------------------ operands */

static const char *const halves[] = {"dl", "dh", NULL}, *const conditions[] = {"z", "nz", "c", "nc", NULL},
                         *const pointers[] = {"p", NULL};
/* clang-format off */
static const kit_class classes[] = {
    /*          shape   names       letter value kind           space      touches          cells window points shift */
    {"#n",      "#{}",  NULL,       0,   'n', KIT_BITS,     0,         0,                0, false, false, 0, NULL, NULL, NULL},
    {"#b",      "#{}",  NULL,       0,   'b', KIT_UNSIGNED, 0,         0,                0, false, false, 0, NULL, NULL, NULL},
    {"#a",      "#{}",  NULL,       0,   'a', KIT_CELL,     KNOT_WIDE, 0,                0, false, false, 0, NULL, NULL, NULL},
    {"{m}",     "{{}}", NULL,       0,   'm', KIT_UNSIGNED, 0,         0,                0, false, false, 0, NULL, NULL, NULL},
    {"f",       "{}",   NULL,       0,   'f', KIT_CELL,     KNOT_NIB,  KIT_TOUCH_CELL,   1, true, false, 0, NULL, NULL, NULL},
    {"p",       "{}",   NULL,       0,   'p', KIT_CELL,     KNOT_IO,   KIT_TOUCH_CELL,   1, false, false, 0, NULL, NULL, NULL},
    {"@p",      "@<>",  pointers,   'z', 0,   KIT_NO_VALUE, KNOT_WIDE, KIT_TOUCH_POINTED, 2, false, false, 0, NULL, NULL, NULL},
    {"half",    "<>",   halves,     'h', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"cond",    "<>",   conditions, 'c', 0,   KIT_NO_VALUE, 0,         0,                0, false, false, 0, NULL, NULL, NULL},
    {"rel",     "{}",   NULL,       0,   'r', KIT_RELATIVE, 0,         0,                0, false, false, 0, NULL, NULL, NULL},
    {"page",    "{}",   NULL,       0,   'a', KIT_PAGE,     0,         0,                0, false, false, 0, NULL, NULL, NULL},
    {"target",  "{}",   NULL,       0,   'a', KIT_TARGET,   0,         0,                0, false, false, 0, NULL, NULL, NULL},
    {0}};
/* clang-format on */
static const kit_choice choices[] = {{"gosub", "call lcall"}, {0}};
static const kit_language language = {.isa = &oak_isa_knot, .classes = classes, .choices = choices};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

/* ------------------------------------------------------------------------------------------ interrupts */

static void knot_served(oak_core *core, uint64_t now)
{
    if (core->serving) oak_service_leave(&core->kit.log, now);
    core->serving = 0;
    core->kit.attention = true;
}

static void interrupt(oak_core *core, unsigned line, bool level, uint64_t from)
{
    if (line >= KNOT_LINES) return;
    core->line = (uint8_t)(level ? core->line | 1u << line : core->line & ~(1u << line));
    core->from[line] = from;
    core->kit.attention = true;
}

static bool take_interrupt(oak_core *core)
{
    for (unsigned n = 0; n < KNOT_LINES && !core->serving; n++) {
        if (!(core->line >> n & 1) || core->from[n] > core->kit.time.cycles) continue;
        if (core->sp == KNOT_LEVELS) {
            core->kit.fault = OAK_FAULT_STACK_OVERFLOW;
            core->kit.fault_space = KNOT_CODE;
            core->kit.fault_address = core->sp;
            return core->kit.faulted = true, false;
        }
        if (core->kit.observed) kit_watch_entry(core, 4 + 4 * n);
        core->stk[core->sp++] = (uint16_t)core->kit.pc;
        core->serving = (uint8_t)(n + 1);
        core->sleeping = false;
        oak_service_enter(&core->kit.log, n + 1, 4 + 4 * n, core->kit.time.cycles);
        core->kit.pc = 4 + 4 * n;
        core->kit.time.cycles += 2;
        if (core->kit.observed) kit_watch_end(core);
        core->kit.next_device =
            core->kit.setup.acknowledge(core->kit.setup.machine, n, core->kit.time.cycles);
        return true;
    }
    return false;
}

static uint64_t noticed_at(oak_core *core)
{
    uint64_t at = UINT64_MAX;
    for (unsigned n = 0; n < KNOT_LINES; n++)
        if (core->line >> n & 1 && core->from[n] > core->kit.time.cycles && core->from[n] < at)
            at = core->from[n];
    return at;
}

static bool deaf(const oak_core *core)
{
    return core->serving != 0;
}

static unsigned asleep(oak_core *core)
{
    return core->sleeping;
}

static unsigned exception(const oak_core *core)
{
    return core->serving ? core->serving * 4u : 0;
}

/* ------------------------------------------------------------------------------------------ the core */

static void reset(oak_core *core)
{
    memset(&core->w, 0, sizeof *core - offsetof(oak_core, w));
    core->kit.pc = 0;
    core->kit.log.depth = 0;
    core->kit.blocked = core->kit.struck = core->kit.resets = core->kit.faulted = false;
    core->kit.attention = true;
    core->kit.next_event = core->kit.next_device = 0;
}

static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    (void)decoded;
    if (one->space != KNOT_NIB) return;
    one->address += (core->bk & 1u) * 64;
    one->known = false;
    one->banks = 2, one->stride = 64;
}

static uint32_t bank(const oak_core *core)
{
    return (core->bk & 1u) * 64;
}

#include "isa/kit/dispatch.h"
#define CORE_TABLE "made_up/knot.def"
#define CORE_CASES "made_up/knot_cases.h"
#define CORE_SPAN  KNOT_SPAN
#define CORE_CODE  KNOT_CODE
#define CORE_EXTRA(X)
#define CORE_LOCALS                                                                                          \
    uint8_t *const cells = kit->space[KNOT_NIB].cells;                                                       \
    uint8_t *cell;                                                                                           \
    uint32_t w, c, before
#define SAVE            (core->w = (uint8_t)w, core->c = (uint8_t)c)
#define LOAD            (w = core->w, c = core->c)
#define BACK_TO_IT      (void)0
#define CORE_LOOP(name) knot_##name
KIT_LOOPS(knot_);
#include "isa/kit/loops.h"

/* clang-format off */
#define PLACE(id, name, bits, title, derived, points, ...) [R_##id] = __VA_ARGS__,
static const struct kit_register registers_at[R_COUNT] = {REGISTERS(PLACE)};
#define INFO(id, name, bits, title, derived, points, ...) [R_##id] = {name, bits, title, derived, points},
static const oak_register_info registers[R_COUNT] = {REGISTERS(INFO)};
static const oak_flag_info flags[] = {{"c", R_C, 0, 1, "carry", false, 0}};
static const oak_space_info spaces[KNOT_SPACES] = {{"number", "a plain number", false, false, 0, 0, 0, false, 0},
                                                   {"code", "program memory", false, false, 0, KNOT_SPAN, 13, false, 256},
                                                   {"nib", "cells of four bits", false, false, 0, 128, 4, false, 64},
                                                   {"wide", "data memory", false, false, 0, 1 << 24, 0, false, 0},
                                                   {"io", "I/O registers", false, true, 0, 128, 0, true, 0}};
static const kit_inner inner[] = {KIT_INNER("line", line, 3), KIT_INNER("serving", serving, KNOT_LINES), KIT_INNER("sleeping", sleeping, 1),
                                  KIT_INNER("from[0]", from[0], UINT64_MAX), KIT_INNER("from[1]", from[1], UINT64_MAX), {0}};

static const kit_arch arch = {
    .isa = &oak_isa_knot, .code_span = KNOT_SPAN, .core_size = sizeof(oak_core), .cycles = knot_cycles,
    KIT_LOOPS_OF(knot_), .reset = reset,
    .interrupt = take_interrupt, .noticed_at = noticed_at, .deaf = deaf, .asleep = asleep,
    .bank = bank, .window = window, .registers_at = registers_at, .inner = inner,
    .tape_from = offsetof(oak_core, w), .tape_to = sizeof(oak_core)};


static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **result)
{
    return kit_create_plain(&arch, tables, setup, result);
}

static const oak_core_ops core_ops = {KIT_CORE_OPS, .create = create, .read_register = kit_read_register,
                                      .write_register = kit_write_register, .interrupt = interrupt,
                                      .exception = exception};

const oak_isa oak_isa_knot = {
    .about = {.name = "knot", .title = "a made-up core", .cycle_unit = "cycle", .big_endian = true, .word_bytes = 2,
              .code_align = 1, .vector_first = 4, .vector_step = 4, .own_lines = KNOT_LINES, .spaces = spaces,
              .space_count = KNOT_SPACES, .code_space = KNOT_CODE, .registers = registers, .register_count = R_COUNT,
              .pc_register = R_PC, .stack = {.pointer = R_SP, .return_bytes = 2, .first_level = R_S0, .levels = KNOT_LEVELS},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .pattern_unit = 2, .rows = knot_rows, .row_count = KNOT_ROWS, .open = open_tables, KIT_ISA_FUNCTIONS,
    .vector_mnemonic = "jmp", .plain_return = "ret", .core = &core_ops};
/* clang-format on */

extern const oak_isa oak_isa_mcs51, oak_isa_armv6m, oak_isa_armv7m, oak_isa_z80, oak_isa_picmid,
    oak_isa_pic18, oak_isa_msp430, oak_isa_cpu12, oak_isa_rv32, oak_isa_a32, oak_isa_avr, oak_isa_mcs4;
const oak_isa *const oak_isa_list[] = {
    &oak_isa_mcs51, &oak_isa_armv6m, &oak_isa_armv7m, &oak_isa_z80,  &oak_isa_picmid,
    &oak_isa_pic18, &oak_isa_msp430, &oak_isa_cpu12,  &oak_isa_rv32, &oak_isa_a32,
    &oak_isa_avr,   &oak_isa_mcs4,   &oak_isa_knot,   NULL};
