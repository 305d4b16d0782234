/* a32.h — shared by the files of the classic 32-bit Arm: numbers of rows, registers; the state of one core, around the kit's.
 *
 *   a32_language.c  the rows, what of them the manual leaves open, the architecture
 *   a32_core.c      memory, modes, exceptions, the interrupt controller, the loop
 *   a32_cases.h     what hot instructions do, for kit/loop.h
 *   a32_slow.c      all others, and those that read or write pc */
#ifndef OAK_A32_H
#define OAK_A32_H

#include "base/bytes.h"
#include "isa/arm/arm.h"
#include "isa/kit/filed.h"

enum {
#define INSN(id, mnemonic, operands, bits, cycles, more, set, uses, flags, meaning) A32_##id,
#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#include "isa/a32/a32.def"
    A32_ROWS
};

enum {
    A32_MOST_NESTED = 16,
    A32_LINES = 32,
    A32_ZERO = 16, /* behind the registers: what is 0 */
    A32_SINK       /* and what nobody reads */
};

/* Modes by the lowest five bits of cpsr, and the registers that each of them has for itself. */
enum { MODE_USR = 0x10, MODE_FIQ, MODE_IRQ, MODE_SVC, MODE_ABT = 0x17, MODE_UND = 0x1B, MODE_SYS = 0x1F };
enum { BANK_USR, BANK_FIQ, BANK_IRQ, BANK_SVC, BANK_ABT, BANK_UND, BANKS };
/* Exceptions, in the order of their vectors, four bytes each. */
enum { A32_RESET, A32_UNDEFINED, A32_SUPERVISOR, A32_PREFETCH_ABORT, A32_DATA_ABORT, A32_IRQ = 6, A32_FIQ };
/* Bits of cpsr. */
enum {
    CPSR_MODE = 31,
    CPSR_T = 1 << 5,
    CPSR_F = 1 << 6,
    CPSR_I = 1 << 7,
    CPSR_A = 1 << 8,
    CPSR_GE = 15 << 16,
    CPSR_Q = 1 << 27
};

struct oak_core {
    kit_core kit;       /* first */
    struct a32_window { /* what plain accesses reach: RAM, and what holds code */
        uint8_t *bytes, *guard;
        uint32_t base, last; /* last: the last offset at which a word lies in it; 0 for none */
    } load, store, code;
    uint32_t code_behind;           /* what an offset in the window for loads becomes in that of code */
    uint32_t code_first, code_size; /* slots of code */
    uint32_t goes;                  /* the slot that an instruction goes to which writes pc */
    uint32_t extra;                 /* cycles it takes beyond those of its row */
    uint64_t ends;   /* the cycle at which it ends, without these; only at the end of a chain */
    uint32_t begins; /* where execution begins: the image says it, or 0 */
    bool stores;     /* the access under way is a store */

    /* From here on: what a tape holds. */
    uint32_t r[A32_SINK + 1]; /* of the mode that it is in; r[15] is what an instruction reads as pc */
    /* Flags: n is the sign of `nz`, z its lower 32 bits being 0; c is ca >= cb, v whether ca - cb overflows with signs. */
    int64_t nz;
    uint32_t ca, cb;
    uint32_t status; /* cpsr without these four */
    uint32_t spsr[BANKS], bank[BANKS][2],
        high[2][5]; /* sp and lr; r8 to r12 outside of fiq and in it; of the mode it is in not those here */
    kit_lines lines;
    uint32_t enabled, fast; /* the interrupt controller's: a bit a line */
    uint32_t claim;
    bool claimed, event, asleep;
    uint8_t depth; /* handlers that have not returned, as far as they are remembered */
    uint8_t handled[A32_MOST_NESTED];
};

static inline uint32_t a32_v(uint32_t ca, uint32_t cb)
{
    return ((ca ^ cb) & (ca ^ (ca - cb))) >> 31;
}
/* Values of ca and cb by c and v, c the lower bit. */
extern const uint32_t a32_pairs[4][2];

/* The whole of cpsr, and back; without a change of registers where the mode is another. */
uint32_t a32_cpsr(const oak_core *core);
void a32_put_cpsr(oak_core *core, uint32_t value);
/* As a program does it: a mode that does not exist leaves the mode as it is. */
void a32_write_cpsr(oak_core *core, uint32_t value);
unsigned a32_bank_of(uint32_t mode);
static inline bool a32_is_privileged(const oak_core *core)
{
    return (core->status & CPSR_MODE) != MODE_USR;
}
/* A register as a mode has it. */
uint32_t *a32_register_of(oak_core *core, uint32_t mode, unsigned number);
static inline bool a32_has_spsr(const oak_core *core)
{
    return a32_bank_of(core->status & CPSR_MODE) != BANK_USR;
}
/* Does a condition hold? */
bool a32_holds(const oak_core *core, unsigned condition);
/* Back from an exception, with cpsr as it was. */
void a32_returns(oak_core *core, uint32_t cpsr);

/* A load or store of 1, 2 or 4 bytes, aligned or not. `now` UINT64_MAX: time is not known exactly; then nothing but memory is reached.
 * False with the fault set, or where it is not reached. */
bool a32_load(oak_core *core, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value);
bool a32_store(oak_core *core, uint32_t address, unsigned bytes, uint32_t value, uint64_t now);

/* Executes an instruction, at its address, with its condition holding and flags in the core. A32_GOES: to the slot core->goes. core->extra is set. */
enum { A32_GOES_ON, A32_GOES, A32_FAULTS };
int a32_execute(oak_core *core, unsigned row, uint32_t word, uint32_t here, uint64_t now);
/* The same of what reads and writes general registers only, but for pc. */
void a32_compute(oak_core *core, unsigned row, uint32_t word);

/* clang-format off */
#define A32_BANKED(M, m) \
    ONE(SP_##M, "sp_" #m, "stack pointer of mode " #m, ARM_MEM, MODE_##M, 13) ONE(LR_##M, "lr_" #m, "link register of mode " #m, ARM_MEM, MODE_##M, 14)
#define A32_SAVED(M, m) ONE(SPSR_##M, "spsr_" #m, "status saved on entering mode " #m, 0, MODE_##M, 16)
#define A32_R(n) ONE(R##n, "r" #n, "general", 0, 0, n)
#define A32_HIGH(M, m) ONE(R8_##M, "r8_" #m, "of mode " #m, 0, MODE_##M, 8) ONE(R9_##M, "r9_" #m, "of mode " #m, 0, MODE_##M, 9) \
    ONE(R10_##M, "r10_" #m, "of mode " #m, 0, MODE_##M, 10) ONE(R11_##M, "r11_" #m, "of mode " #m, 0, MODE_##M, 11) ONE(R12_##M, "r12_" #m, "of mode " #m, 0, MODE_##M, 12)
#define A32_REGISTER_LIST \
    A32_R(0) A32_R(1) A32_R(2) A32_R(3) A32_R(4) A32_R(5) A32_R(6) A32_R(7) A32_R(8) A32_R(9) A32_R(10) A32_R(11) A32_R(12) \
    ONE(SP, "sp", "stack pointer", ARM_MEM, 0, 13) ONE(LR, "lr", "link register", ARM_MEM, 0, 14) ONE(PC, "pc", "program counter", 0, 0, 15) \
    ONE(CPSR, "cpsr", "status", 0, 0, 17) ONE(SPSR, "spsr", "status saved by an exception", 0, 0, 16) \
    A32_HIGH(USR, usr) A32_BANKED(USR, usr) A32_HIGH(FIQ, fiq) A32_BANKED(FIQ, fiq) A32_SAVED(FIQ, fiq) \
    A32_BANKED(IRQ, irq) A32_SAVED(IRQ, irq) A32_BANKED(SVC, svc) A32_SAVED(SVC, svc) A32_BANKED(ABT, abt) A32_SAVED(ABT, abt) A32_BANKED(UND, und) A32_SAVED(UND, und)
#define ONE(id, ...) A32_REG_##id,
enum { A32_REGISTER_LIST A32_REGISTERS };
#undef ONE
/* clang-format on */

extern const oak_insn_row a32_rows[A32_ROWS];
extern const uint8_t a32_cycles[A32_ROWS];
extern const oak_isa oak_isa_a32;
extern const oak_core_ops a32_core_ops;

#endif
