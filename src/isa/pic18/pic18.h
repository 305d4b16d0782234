/* pic18.h — the 8-bit core with 16-bit instructions and an access bank: its rows, registers, spaces; what its files share. */
#ifndef OAK_PIC18_H
#define OAK_PIC18_H

#include "base/bytes.h"
#include "isa/kit/filed.h"

enum { PIC18_NUMBER, PIC18_CODE, PIC18_DATA, PIC18_EEPROM, PIC18_SPACES };
enum {
    PIC18_SPAN = 0x20000,    /* bytes of program memory that a part may have */
    PIC18_REACH = 0x200000,  /* that the program counter has */
    PIC18_CONFIG = 0x300000, /* the bytes that configure the chip */
    PIC18_CODE_END = 0x400000,
    PIC18_CELLS = 0x1000, /* addresses of data memory */
    PIC18_ACCESS = 0x80,  /* from here on the access bank is the end of data memory */
    PIC18_REGISTERS_AT = 0xF80,
    PIC18_SCRATCH = PIC18_CELLS, /* what stands in for a register with an effect */
    PIC18_LEVELS = 31,
    PIC18_LINES = 32,    /* even ones are urgent, odd ones are not */
    PIC18_OWN = 10,      /* lines below this are let through without PEIE */
    PIC18_WATCHDOG = 31, /* the line of the watchdog */
    PIC18_HIGH = 0x08,   /* where interrupts lead */
    PIC18_LOW = 0x18,
    PIC18_BLOCK = 8,   /* bytes of program memory that are written at once */
    PIC18_ERASED = 64, /* that are erased at once */
    PIC18_STALL = 2000 /* cycles for either, in which the core stands */
};
/* Registers of the core. */
#define CELL(name, address, mask, kind) name = (address),
enum {
#include "isa/pic18/pic18_registers.def"
};
enum { STATUS_C = 1, STATUS_DC = 2, STATUS_Z = 4, STATUS_OV = 8, STATUS_N = 16 };
enum { INTCON_GIEH = 0x80, INTCON_GIEL = 0x40, STKPTR_FULL = 0x80, STKPTR_EMPTY = 0x40 };
enum { RCON_IPEN = 0x80, RCON_RI = 0x10, RCON_TO = 8, RCON_PD = 4 };
/* What lies at an address of data memory. */
enum { PIC18_PLAIN, PIC18_MASKED, PIC18_LIVE, PIC18_POINTER, PIC18_ABSENT };
/* What a register that stands for another does to its pointer: INDF and those below it, in this order. */
enum { PIC18_INDF, PIC18_POSTINC, PIC18_POSTDEC, PIC18_PREINC, PIC18_PLUSW };

#define KIT_TABLE        "isa/pic18/pic18.def"
#define KIT_ROW_NAME(id) PIC18_##id
#define KIT_COUNT        PIC18_ROWS
#include "isa/kit/rows.h"
extern const oak_insn_row pic18_rows[PIC18_ROWS];
extern const uint8_t pic18_cycles[PIC18_ROWS];

/* The rows with a register, in the order of the table: two each, in the access bank and in the one that is selected. */
/* clang-format off */
#define PIC18_FILE_LIST(X) \
    X(ADDWF_W) X(ADDWF_F) X(ADDWFC_W) X(ADDWFC_F) X(ANDWF_W) X(ANDWF_F) X(CLRF) X(COMF_W) X(COMF_F) X(CPFSEQ) X(CPFSGT) X(CPFSLT) \
    X(DECF_W) X(DECF_F) X(DECFSZ_W) X(DECFSZ_F) X(DCFSNZ_W) X(DCFSNZ_F) X(INCF_W) X(INCF_F) X(INCFSZ_W) X(INCFSZ_F) X(INFSNZ_W) \
    X(INFSNZ_F) X(IORWF_W) X(IORWF_F) X(MOVF_W) X(MOVF_F) X(MOVWF) X(MULWF) X(NEGF) X(RLCF_W) X(RLCF_F) X(RLNCF_W) X(RLNCF_F) \
    X(RRCF_W) X(RRCF_F) X(RRNCF_W) X(RRNCF_F) X(SETF) X(SUBFWB_W) X(SUBFWB_F) X(SUBWF_W) X(SUBWF_F) X(SUBWFB_W) X(SUBWFB_F) X(SWAPF_W) \
    X(SWAPF_F) X(TSTFSZ) X(XORWF_W) X(XORWF_F) X(BCF) X(BSF) X(BTFSC) X(BTFSS) X(BTG)
enum { PIC18_FILE_ROWS = PIC18_MOVFF };

/* Handlers beside the rows: registers with an effect, what comes behind them, addresses that the part cannot have; and the rows on a register that
 * a pointer names, or of which some bits are always 0. */
#define PIC18_POINTED_HANDLER(id) PIC18_##id##_P,
#define PIC18_KEPT_HANDLER(id)    PIC18_##id##_K,
enum {
    PIC18_ENDS = KIT_FIRST_ROW + PIC18_ROWS, PIC18_DONE, PIC18_BEYOND, PIC18_PERHAPS,
    PIC18_CLEAR_CARRY, PIC18_SET_CARRY, PIC18_FLAG_CLEAR, PIC18_FLAG_SET, PIC18_EFFECT, /* these go on as their rows do, and so do: */
    PIC18_FILE_LIST(PIC18_KEPT_HANDLER) PIC18_FILE_LIST(PIC18_POINTED_HANDLER) PIC18_HANDLERS,
    PIC18_ALIKE = PIC18_CLEAR_CARRY, PIC18_FIRST_KEPT = PIC18_ADDWF_W_K, PIC18_FIRST_POINTED = PIC18_ADDWF_W_P
};
/* clang-format on */

struct oak_core {
    kit_core kit;
    uint8_t kind[PIC18_CELLS + 8], mask[PIC18_CELLS]; /* what an address is; the bits that a register has */
    /* From here on: what a tape holds. */
    uint8_t data[PIC18_CELLS + 8];
    uint8_t w, sp, sleeping, low, high; /* low, high: a handler of it is under way */
    uint8_t begun, guarded, cause;      /* the configuration has been read; why it is being reset, 0: power */
    uint8_t ws, statuss, bsrs;
    uint8_t unlocked, burns,
        periods; /* bytes of two; what is done to program memory; of the watchdog, over */
    uint8_t held[PIC18_BLOCK];
    uint32_t stk[PIC18_LEVELS];
    uint32_t nz, carries; /* Z: no bit of 0xff, N: one of 0x180; into each bit of the sum, C is bit 8 */
    uint64_t unlocked_at;
    kit_lines lines;
};

#define REGISTER(id, ...) PIC18_REG_##id,
enum {
#include "isa/pic18/pic18_registers.def"
    PIC18_REGISTERS
};

/* Does an address stand for what a pointer names? */
static inline bool pic18_points(uint32_t address)
{
    return address >= PLUSW2 && address <= INDF0 && ((address - PLUSW2) & 7) < 5;
}

extern const oak_isa oak_isa_pic18;
extern const oak_core_ops pic18_core_ops;

#endif
