/* The core with 16-bit instructions against a second implementation: every code on random machines, one by one and in chains; all operands of its
 * arithmetic; what else it has by hand. */
#include "reference_pic18.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, DATA, LAST = 0xFFF };

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
    refpic18 *ref;
} rig;

static void rig_open(rig *r)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    static const uint8_t free_stack[] = {0xFE}; /* an end of the stack is no reset */
    r->host = oak_linux_host();
    ck_assert_int_eq(oak_part_load(&r->host, SOURCE_FOLDER "/tests/bare/pic18.yaml", &sink, &r->part), OAK_OK);
    ck_assert_int_eq(oak_machine_create(&r->host, r->part, &r->machine), OAK_OK);
    r->chip = oak_machine_port(r->machine);
    r->ref = calloc(1, sizeof *r->ref);
    memset(r->ref->code, 0xFF, sizeof r->ref->code);
    ck_assert_int_eq(r->chip.ops->write_memory(r->chip.chip, CODE, 0x300006, free_stack, 1), OAK_OK);
    ck_assert_int_eq(r->chip.ops->write_memory(r->chip.chip, CODE, 0x300003, free_stack, 1), OAK_OK);
}

static void rig_close(rig *r)
{
    oak_machine_free(r->machine);
    oak_part_free(r->part);
    free(r->ref);
}

static unsigned number_of(const rig *r, const char *name)
{
    for (unsigned n = 0; n < r->part->architecture->register_count; n++)
        if (!strcmp(name, r->part->architecture->registers[n].name)) return n;
    ck_abort_msg("no register %s", name);
    return 0;
}

static uint32_t reg(const rig *r, const char *name)
{
    uint32_t value = 0;
    if (r->chip.ops->read_register(r->chip.chip, number_of(r, name), &value)) ck_abort_msg("no %s", name);
    return value;
}

static void set_reg(const rig *r, const char *name, uint32_t value)
{
    if (r->chip.ops->write_register(r->chip.chip, number_of(r, name), value)) ck_abort_msg("no %s", name);
}

static oak_chip_time now(const rig *r)
{
    oak_chip_time time;
    r->chip.ops->read_time(r->chip.chip, &time);
    return time;
}

static void put_code(rig *r, uint32_t at, const uint16_t *codes, unsigned count)
{
    uint8_t bytes[8];
    for (unsigned i = 0; i < 2 * count; i++)
        bytes[i] = r->ref->code[(at + i) & 0x1FFFF] = (uint8_t)(codes[i / 2] >> 8 * (i % 2));
    for (unsigned i = 0; i < count; i++)
        if (r->chip.ops->write_memory(r->chip.chip, CODE, (at + 2 * i) & 0x1FFFF, bytes + 2 * i, 2))
            ck_abort_msg("no code at 0x%x", at);
}

static const uint16_t levels[] = {0, 1, 2, 15, 29, 30, 31};

/* The same registers and cells for both. */
static void take_over(rig *r, uint64_t *seed)
{
    refpic18 *m = r->ref;
    char name[8];
    for (unsigned i = 0; i <= LAST; i++) m->cell[i] = (uint8_t)random32(seed);
    m->cell[0xFDA] &= 15, m->cell[0xFE2] &= 15, m->cell[0xFEA] &= 15, m->cell[0xFE0] &= 15;
    if (random32(seed) % 2) m->cell[0xFE0] = 15;
    m->cell[0xFFB] = random32(seed) % 4 ? 0 : 1, m->cell[0xFF8] &= random32(seed) % 2 ? 1 : 63;
    m->cell[0xFD8] &= 31, m->cell[0xFD0] &= 0x1F, m->cell[0xFF2] &= 0x3F;
    m->ends = 0, m->lost = false;
    m->levels = (uint8_t)(random32(seed) % 2 ? levels[random32(seed) % 7] : random32(seed) % 32);
    m->pc = random32(seed) & 0x1FFF8;
    for (unsigned i = 1; i < 32; i++) m->stack[i] = random32(seed) & (random32(seed) % 8 ? 0x1FFFE : 0x1FFFFE);
    for (unsigned i = 0; i < 3; i++) m->shadow[i] = random32(seed) & (i == 0 ? 255 : i == 1 ? 31 : 15);
    m->cycles = now(r).cycles;
    set_reg(r, "sp", m->levels);
    if (r->chip.ops->write_memory(r->chip.chip, DATA, 0, m->cell, 0xFF9)) ck_abort_msg("no cells");
    if (r->chip.ops->write_memory(r->chip.chip, DATA, 0xFFA, m->cell + 0xFFA, 2)) ck_abort_msg("no latches");
    if (r->chip.ops->write_memory(r->chip.chip, DATA, 0xFFC, &m->levels, 1)) ck_abort_msg("no stack pointer");
    set_reg(r, "ws", m->shadow[0]), set_reg(r, "statuss", m->shadow[1]), set_reg(r, "bsrs", m->shadow[2]);
    for (unsigned i = 1; i < 32; i++) snprintf(name, sizeof name, "stk%u", i), set_reg(r, name, m->stack[i]);
    set_reg(r, "pc", m->pc);
}

static void must_agree(rig *r, const char *what)
{
    const refpic18 *m = r->ref;
    static uint8_t cells[LAST + 1];
    char name[8];
    if (reg(r, "pc") != m->pc || reg(r, "sp") != m->levels || now(r).cycles != m->cycles)
        ck_abort_msg("%s: pc 0x%x sp %u cycles %llu, not 0x%x %u %llu", what, reg(r, "pc"), reg(r, "sp"),
                     (unsigned long long)now(r).cycles, m->pc, m->levels, (unsigned long long)m->cycles);
    for (unsigned i = 1; i < 32; i++) {
        snprintf(name, sizeof name, "stk%u", i);
        if (reg(r, name) != m->stack[i])
            ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, name, reg(r, name), m->stack[i]);
    }
    if (reg(r, "ws") != m->shadow[0] || reg(r, "statuss") != m->shadow[1] || reg(r, "bsrs") != m->shadow[2])
        ck_abort_msg("%s: kept beside are 0x%x 0x%x 0x%x, not 0x%x 0x%x 0x%x", what, reg(r, "ws"), reg(r, "statuss"),
                     reg(r, "bsrs"), m->shadow[0], m->shadow[1], m->shadow[2]);
    ck_assert_int_eq(r->chip.ops->read_memory(r->chip.chip, DATA, 0, cells, sizeof cells), OAK_OK);
    for (unsigned i = 0; i <= LAST; i++)
        if (cells[i] != refpic18_look(m, i))
            ck_abort_msg("%s: cell 0x%x is 0x%x, not 0x%x", what, i, cells[i], refpic18_look(m, i));
}

static void run(rig *r, uint64_t instructions, oak_stop *stop)
{
    if (r->chip.ops->run(r->chip.chip, UINT64_MAX, now(r).instructions + instructions, stop)) ck_abort_msg("no run");
}

static bool is_alone(uint16_t code) /* what the second core does not do */
{
    return code == 3 || code == 4 || code == 0xFF;
}

/* Each of the 65,536 codes, four times, with second words right and wrong, on machines that hold anything. */
START_TEST(every_code_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 15;
    oak_stop stop;
    unsigned lost = 0;
    rig_open(&r);
    for (unsigned code = 0; code < 0x10000; code++)
        for (unsigned round = 0; round < 4; round++) {
            char what[60];
            uint16_t codes[] = {(uint16_t)code, (uint16_t)(random32(&seed) | 0xF000)};
            if (round == 1) codes[1] = (uint16_t)random32(&seed);
            if (code >> 8 == 0xEE && round > 1) codes[1] &= 0xF0FF;
            if (code >> 8 >= 0xEC && code >> 8 != 0xEE && round > 2) codes[1] &= 0xF1FF;
            snprintf(what, sizeof what, "0x%04x 0x%04x", codes[0], codes[1]);
            take_over(&r, &seed);
            put_code(&r, r.ref->pc, codes, 2);
            bool is_code = refpic18_is_code(codes[0], codes[1]);
            if (is_alone(codes[0])) break;
            run(&r, 1, &stop);
            if (!is_code && stop.reason != OAK_STOP_FAULT) ck_abort_msg("%s: ends with %u", what, stop.reason);
            if (!is_code) continue;
            refpic18_step(r.ref);
            bool faulted = stop.reason == OAK_STOP_FAULT && stop.fault == OAK_FAULT_OUTSIDE_CODE;
            if (faulted != r.ref->lost) ck_abort_msg("%s: leads away %d, not %d", what, faulted, r.ref->lost);
            lost += faulted;
            if (!faulted && stop.reason != OAK_STOP_PARKED) must_agree(&r, what);
        }
    ck_assert_uint_gt(lost, 500);
    rig_close(&r);
}
END_TEST

/* All operands of what makes flags, with every carry. */
START_TEST(arithmetic_is_right_for_all_operands)
{
    static const uint16_t codes[] = {0x2420, 0x2620, 0x2020, 0x2220, 0x5420, 0x5620, 0x5C20, 0x5E20, 0x5820, 0x5A20,
                                     0x6C20, 0x3620, 0x3420, 0x3220, 0x3020, 0x4620, 0x4220, 0x0620, 0x2A20, 0x2E20,
                                     0x4E20, 0x3E20, 0x4A20, 0x6220, 0x6420, 0x6020, 0x6620, 0x0220, 0x3A20, 0x1E20,
                                     0x0007, 0x0F00, 0x0800, 0x0D00};
    rig r;
    uint64_t seed = 16;
    oak_stop stop;
    rig_open(&r);
    take_over(&r, &seed);
    for (unsigned n = 0; n < sizeof codes / sizeof *codes; n++)
        for (unsigned a = 0; a < 256; a++)
            for (unsigned b = 0; b < 256; b++) {
                uint8_t first = (uint8_t)a, w = (uint8_t)b, status = random32(&seed) & 31;
                bool immediate = codes[n] >> 8 >= 8 && codes[n] >> 8 < 16;
                uint16_t code = (uint16_t)(codes[n] | (immediate ? a : 0));
                r.ref->pc = 0x100, set_reg(&r, "pc", 0x100);
                if (!b || immediate) put_code(&r, 0x100, &code, 1);
                r.ref->cell[0xFE8] = w, set_reg(&r, "w", w);
                r.ref->cell[0xFD8] = status, set_reg(&r, "status", status);
                r.ref->cell[0x20] = first;
                if (r.chip.ops->write_memory(r.chip.chip, DATA, 0x20, &first, 1)) ck_abort();
                run(&r, 1, &stop);
                refpic18_step(r.ref);
                uint8_t cell;
                if (r.chip.ops->read_memory(r.chip.chip, DATA, 0x20, &cell, 1)) ck_abort();
                if (reg(&r, "w") != r.ref->cell[0xFE8] || reg(&r, "status") != r.ref->cell[0xFD8] ||
                    cell != r.ref->cell[0x20] || reg(&r, "pc") != r.ref->pc || reg(&r, "prodh") != r.ref->cell[0xFF4] ||
                    reg(&r, "prodl") != r.ref->cell[0xFF3])
                    ck_abort_msg("0x%04x of %u and %u with 0x%x: w 0x%x status 0x%x cell 0x%x, not 0x%x 0x%x 0x%x", code, a, b,
                                 status, reg(&r, "w"), reg(&r, "status"), cell, r.ref->cell[0xFE8], r.ref->cell[0xFD8],
                                 r.ref->cell[0x20]);
            }
    rig_close(&r);
}
END_TEST

/* Programs of anything, in one go; and their cycles. */
START_TEST(whole_chains_do_what_single_steps_do)
{
    rig r;
    uint64_t seed = 17, pieces = 0;
    rig_open(&r);
    for (unsigned round = 0; round < 20; round++) {
        for (uint32_t at = 0; at < 0x20000; at += 2) {
            uint16_t code;
            do code = random32(&seed) & 0xFFFF;
            while (is_alone(code) || code >> 8 >= 0xE8 || code >> 12 == 12 || !refpic18_is_code(code, 0));
            if (random32(&seed) % 8 == 0) code = (uint16_t)(0xC000 | random32(&seed) % 0x1000);
            if (random32(&seed) % 40 == 0) code = (uint16_t)(0xEC00 | random32(&seed) % 0x400), code &= 0xFDFF;
            if (code >> 8 == 0xEE) code = 0;
            put_code(&r, at, &code, 1);
            uint16_t second = (uint16_t)(0xF000 | (code >> 12 == 14 ? random32(&seed) % 0x200 : random32(&seed) % 0x1000));
            if (code >= 0xEC00 || code >> 12 == 12) put_code(&r, at += 2, &second, 1);
        }
        for (unsigned piece = 0; piece < 60; piece++) {
            take_over(&r, &seed);
            oak_stop stop;
            unsigned steps = 1 + random32(&seed) % 60;
            uint64_t before = now(&r).instructions;
            run(&r, steps, &stop);
            for (uint64_t i = before; i < now(&r).instructions; i++) refpic18_step(r.ref);
            if (stop.reason == OAK_STOP_FAULT || stop.reason == OAK_STOP_PARKED) continue;
            must_agree(&r, "a chain");
            pieces++;
            ck_assert_uint_eq(stop.reason, OAK_STOP_STEPS);
        }
    }
    ck_assert_uint_gt(pieces, 500);
    rig_close(&r);
}
END_TEST

RUN_SUITE("pic18", every_code_does_what_the_second_core_does, arithmetic_is_right_for_all_operands,
          whole_chains_do_what_single_steps_do)
