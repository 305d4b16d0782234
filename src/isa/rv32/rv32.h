/* rv32.h — shared by the files of RV32IMC: numbers of rows, registers; the state of one core, around the kit's. */
#ifndef OAK_RV32_H
#define OAK_RV32_H

#include "base/bytes.h"
#include "isa/kit/filed.h"

#define KIT_TABLE        "isa/rv32/rv32.def"
#define KIT_ROW_NAME(id) RV32_##id
#define KIT_COUNT        RV32_ROWS
#include "isa/kit/rows.h"

enum { RV32_NUMBER, RV32_MEM, RV32_SPACES };
enum {
    RV32_MOST_NESTED = 16,
    RV32_SINK = 32,       /* behind the registers: what is written to x0 */
    RV32_TIMER_LINE = 16, /* behind those of the part, which are bits 16 to 31 of mip; bit 7 */
    RV32_SOFT_LINE,       /* bit 3 */
    RV32_LINES
};

enum { RV32_FIRST_INTERRUPT = 16 }; /* number of interrupt 0 in the log, behind those of exceptions */

/* Bits of mstatus, and causes of traps. */
enum { RV32_MIE = 8, RV32_MPIE = 0x80, RV32_MPP = 0x1800 };
enum {
    CAUSE_FETCH = 1,
    CAUSE_ILLEGAL,
    CAUSE_BREAKPOINT,
    CAUSE_LOAD_UNEVEN,
    CAUSE_LOAD,
    CAUSE_STORE_UNEVEN,
    CAUSE_STORE,
    CAUSE_ECALL = 11
};

struct oak_core {
    kit_core kit;        /* first */
    struct rv32_window { /* what plain accesses reach: words of RAM, of code for loads */
        uint8_t *bytes, *guard;
        uint32_t base, size;
    } load, store, code;
    uint32_t code_behind; /* what an address in the window for loads becomes in that of code */
    uint32_t code_first;  /* slot of the code window */
    uint32_t goes;        /* the slot a special instruction goes to */
    bool stores;          /* the access under way is a store */

    /* From here on: what a tape holds. */
    uint32_t x[RV32_SINK + 1]; /* x[0] is 0 */
    uint32_t mstatus, mtvec, mepc, mcause, mtval, mie, mscratch;
    kit_lines lines;
    bool asleep;
    uint8_t depth; /* handlers that have not returned, as far as they are remembered, and where they begin */
    uint32_t handler[RV32_MOST_NESTED];
};

/* clang-format off */
#define RV32_X(n, title) ONE(X##n, "x" #n, KIT_AT(x[n]), title, RV32_MEM)
#define RV32_REGISTER_LIST                                                                                              \
    ONE(PC, "pc", KIT_AT(kit.pc), "program counter", 0)                                                                 \
    RV32_X(1, "ra, return address") RV32_X(2, "sp, stack pointer") RV32_X(3, "gp, global pointer") RV32_X(4, "tp, thread pointer") \
    RV32_X(5, "t0, temporary") RV32_X(6, "t1, temporary") RV32_X(7, "t2, temporary") RV32_X(8, "s0, saved; frame pointer") RV32_X(9, "s1, saved") \
    RV32_X(10, "a0, argument and result") RV32_X(11, "a1, argument and result") RV32_X(12, "a2, argument") RV32_X(13, "a3, argument") \
    RV32_X(14, "a4, argument") RV32_X(15, "a5, argument") RV32_X(16, "a6, argument") RV32_X(17, "a7, argument") RV32_X(18, "s2, saved") \
    RV32_X(19, "s3, saved") RV32_X(20, "s4, saved") RV32_X(21, "s5, saved") RV32_X(22, "s6, saved") RV32_X(23, "s7, saved") RV32_X(24, "s8, saved") \
    RV32_X(25, "s9, saved") RV32_X(26, "s10, saved") RV32_X(27, "s11, saved") RV32_X(28, "t3, temporary") RV32_X(29, "t4, temporary") \
    RV32_X(30, "t5, temporary") RV32_X(31, "t6, temporary")                                                             \
    ONE(MSTATUS, "mstatus", KIT_AT(mstatus), "status of machine mode", 0) ONE(MTVEC, "mtvec", KIT_AT(mtvec), "where traps lead", RV32_MEM) \
    ONE(MEPC, "mepc", KIT_AT(mepc), "where a trap came from", RV32_MEM) ONE(MCAUSE, "mcause", KIT_AT(mcause), "why a trap was taken", 0) \
    ONE(MTVAL, "mtval", KIT_AT(mtval), "the address or code it was about", 0) ONE(MIE, "mie", KIT_AT(mie), "interrupts that are let through", 0) \
    ONE(MIP, "mip", NOWHERE, "interrupts that ask", 0) ONE(MSCRATCH, "mscratch", KIT_AT(mscratch), "for the handler's use", 0)
#define ONE(id, ...) RV32_REG_##id,
enum { RV32_REGISTER_LIST RV32_REGISTERS };
#undef ONE
/* clang-format on */

extern const oak_insn_row rv32_rows[RV32_ROWS];
extern const uint8_t rv32_cycles[RV32_ROWS];
extern const oak_isa oak_isa_rv32;
extern const oak_core_ops rv32_core_ops;

#endif
