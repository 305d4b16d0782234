/* avr.h — the register core with word memory: its rows, registers, spaces; what its files share. */
#ifndef OAK_AVR_H
#define OAK_AVR_H

#include "base/bytes.h"
#include "isa/kit/table.h"
#include "isa/kit/vectored.h"

enum { AVR_NUMBER, AVR_CODE, AVR_DATA, AVR_EEPROM, AVR_SPACES };
enum {
    AVR_SPAN = 0x10000,  /* words that the program counter has */
    AVR_CELLS = 0x10000, /* addresses of data memory: registers, those of the part, RAM */
    AVR_IO = 0x20, /* from here on the registers of the part, which in, out and their like count from 0 */
    AVR_IO_END = 0x200, /* before here */
    AVR_LINES = 25,     /* interrupts: line n leads to 2 (n + 1) */
    AVR_FEEDS = 31,     /* the line that feeds the watchdog */
    AVR_ALL_LINES = 32,
    AVR_PAGE = 64 /* words of program memory that are erased and written at once */
};
/* Registers of the core, and what it must know of the part's. */
enum {
    AVR_SMCR = 0x53,
    AVR_MCUSR = 0x54,
    AVR_SPMCSR = 0x57,
    AVR_SPL = 0x5D,
    AVR_SPH = 0x5E,
    AVR_SREG = 0x5F
};
enum { RX = 26, RY = 28, RZ = 30 };
enum { FLAG_C = 1, FLAG_Z = 2, FLAG_N = 4, FLAG_V = 8, FLAG_S = 16, FLAG_H = 32, FLAG_T = 64, FLAG_I = 128 };
/* What lies at an address of data memory. */
enum { AVR_PLAIN, AVR_LIVE, AVR_ABSENT };
/* The flags as the core keeps them. C is bit 8 and H bit 4 of `carries`. V: bits 8 and 7 of `over` differ. Z: none of 0x1ff of `nz`; N: one of 0x280;
 * S is N or V but not both, the other way round where 0x400 is set. */
enum { NZ_ZERO = 0x1FF, NZ_NEGATIVE = 0x280, NZ_ODD = 0x400 };

#define KIT_TABLE        "isa/avr/avr.def"
#define KIT_ROW_NAME(id) AVR_##id
#define KIT_COUNT        AVR_ROWS
#include "isa/kit/rows.h"
extern const oak_insn_row avr_rows[AVR_ROWS];
extern const uint8_t avr_cycles[AVR_ROWS];

/* What may go together with a branch behind it, or, of CP_CPC and CPI_CPC, without one. */
#define AVR_FUSED(X)         X(CP_CPC) X(CPI_CPC) X(CP) X(CPI) X(CPC) X(SUBI) X(SBCI) X(SBIW) X(DEC) X(TST)
#define AVR_THEN_NUMBERS(id) AVR_##id##_ALONE, AVR_##id##_CS, AVR_##id##_EQ, AVR_##id##_CC, AVR_##id##_NE,
/* Handlers beside the rows: registers of the part that are more than a cell; a target that no part has. */
enum {
    AVR_OUT_LIVE = KIT_FIRST_ROW + AVR_ROWS,
    AVR_IN_LIVE,
    AVR_SBI_LIVE,
    AVR_CBI_LIVE,
    AVR_SBIC_LIVE,
    AVR_SBIS_LIVE,
    /* Two or three instructions at once, where nobody wants to stop or look between them. */
    AVR_ADD_ADC,
    AVR_SUB_SBC,
    AVR_SUBI_SBCI,
    AVR_FUSED(AVR_THEN_NUMBERS) AVR_HANDLERS,
    AVR_ALIKE = AVR_OUT_LIVE /* they go on as their rows do */
};

struct oak_core {
    kit_core kit;
    uint8_t kind[AVR_CELLS];
    const uint8_t *code; /* program memory, so many bytes */
    uint32_t code_bytes;
    kit_objects objects;
    /* From here on: what a tape holds. */
    uint8_t data[AVR_CELLS + 8];
    uint16_t sp, top; /* top: where the stack begins */
    uint8_t t, i, sleeping, spm;
    uint32_t nz, carries, over;
    uint8_t held[2 * AVR_PAGE]; /* words that wait to be written to program memory */
    kit_stack stack;
    kit_lines lines;
};

#define AVR_EIGHT(R, a, b, c, d, e, f, g, h) R(a) R(b) R(c) R(d) R(e) R(f) R(g) R(h)
#define AVR_FILE(R)                                                                                          \
    AVR_EIGHT(R, 0, 1, 2, 3, 4, 5, 6, 7)                                                                     \
    AVR_EIGHT(R, 8, 9, 10, 11, 12, 13, 14, 15)                                                               \
    AVR_EIGHT(R, 16, 17, 18, 19, 20, 21, 22, 23)                                                             \
    AVR_EIGHT(R, 24, 25, 26, 27, 28, 29, 30, 31)
enum {
#define NUMBER(n) AVR_REG_R##n,
    AVR_FILE(NUMBER)
#undef NUMBER
        AVR_REG_SREG,
    AVR_REG_SP,
    AVR_REG_PC,
    AVR_REG_X,
    AVR_REG_Y,
    AVR_REG_Z,
    AVR_REGISTERS
};

extern const oak_isa oak_isa_avr;
extern const oak_core_ops avr_core_ops;

#endif
