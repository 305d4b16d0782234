/* picmid.h — the mid-range 8-bit core: its rows, registers, spaces; what its files share. */
#ifndef OAK_PICMID_H
#define OAK_PICMID_H

#include "base/bytes.h"
#include "isa/kit/filed.h"

enum { PICMID_NUMBER, PICMID_CODE, PICMID_FILE, PICMID_EEPROM, PICMID_SPACES };
enum {
    PICMID_SPAN = 0x2000,   /* words that the program counter reaches */
    PICMID_CONFIG = 0x2007, /* the word that configures the chip */
    PICMID_CELLS = 0x200,   /* addresses of the register file, four banks */
    PICMID_BANK = 0x80,
    PICMID_ROW =
        PICMID_BANK + 8, /* of the table of a bank: behind its addresses lies what stands in for a cell */
    PICMID_SCRATCH = PICMID_CELLS,
    PICMID_OTHER = PICMID_CELLS + 8, /* from here on: registers with an effect, by their addresses */
    PICMID_ABSENT = 2 * PICMID_CELLS + 8,
    PICMID_LEVELS = 8,
    PICMID_LINES = 16,
    PICMID_OWN = 3,       /* lines below this need no PEIE */
    PICMID_WATCHDOG = 15, /* the line of the watchdog */
    PICMID_VECTOR = 4
};
/* Registers of the core in every bank. */
enum {
    INDF = 0,
    PCL = 2,
    STATUS = 3,
    FSR = 4,
    PCLATH = 0x0A,
    INTCON = 0x0B,
    OPTION_REG = 0x81,
    TRIS_FIRST = 0x85
};
enum {
    STATUS_C = 1,
    STATUS_DC = 2,
    STATUS_Z = 4,
    STATUS_PD = 8,
    STATUS_TO = 16,
    STATUS_RP = 0x60,
    STATUS_IRP = 0x80
};

#define KIT_TABLE        "isa/picmid/picmid.def"
#define KIT_ROW_NAME(id) PICMID_##id
#define KIT_COUNT        PICMID_ROWS
#include "isa/kit/rows.h"
extern const oak_insn_row picmid_rows[PICMID_ROWS];
extern const uint8_t picmid_cycles[PICMID_ROWS];

/* The rows with a register, in the order of the table; handlers beside the rows: flags, and each of those where the register is the same in every bank, and
 * where FSR points. */
#define PICMID_FILE_LIST(X)                                                                                  \
    X(ADDWF_W)                                                                                               \
    X(ADDWF_F)                                                                                               \
    X(ANDWF_W)                                                                                               \
    X(ANDWF_F)                                                                                               \
    X(CLRF)                                                                                                  \
    X(COMF_W)                                                                                                \
    X(COMF_F)                                                                                                \
    X(DECF_W)                                                                                                \
    X(DECF_F)                                                                                                \
    X(DECFSZ_W)                                                                                              \
    X(DECFSZ_F)                                                                                              \
    X(INCF_W)                                                                                                \
    X(INCF_F)                                                                                                \
    X(INCFSZ_W)                                                                                              \
    X(INCFSZ_F)                                                                                              \
    X(IORWF_W)                                                                                               \
    X(IORWF_F)                                                                                               \
    X(MOVF_W)                                                                                                \
    X(MOVF_F)                                                                                                \
    X(MOVWF)                                                                                                 \
    X(RLF_W)                                                                                                 \
    X(RLF_F)                                                                                                 \
    X(RRF_W)                                                                                                 \
    X(RRF_F) X(SUBWF_W) X(SUBWF_F) X(SWAPF_W) X(SWAPF_F) X(XORWF_W) X(XORWF_F) X(BCF) X(BSF) X(BTFSC) X(BTFSS)
#define PICMID_EVERYWHERE(id) PICMID_##id##_C,
#define PICMID_POINTED(id)    PICMID_##id##_I,
enum {
    PICMID_ENDS = KIT_FIRST_ROW + PICMID_ROWS,
    PICMID_DONE,
    PICMID_SELF,
    PICMID_CLEAR_FLAG,
    PICMID_SET_FLAG,
    PICMID_ZERO_CLEAR,
    PICMID_ZERO_SET,
    PICMID_FLAG_CLEAR,
    PICMID_FLAG_SET,
    PICMID_FILE_LIST(PICMID_EVERYWHERE) PICMID_FILE_LIST(PICMID_POINTED) PICMID_HANDLERS,
    PICMID_ALIKE = PICMID_CLEAR_FLAG, /* from here on they go on as their rows do */
    PICMID_FIRST_EVERYWHERE = PICMID_ADDWF_W_C,
    PICMID_FIRST_POINTED = PICMID_ADDWF_W_I
};

struct oak_core {
    kit_core kit;
    uint16_t near
        [4]
        [PICMID_ROW]; /* where the cell of an operand lies, by bank: in data, PICMID_OTHER + address, or PICMID_ABSENT */
    uint16_t far[PICMID_CELLS]; /* the same of a whole address */
    uint8_t present[PICMID_CELLS];
    /* From here on: what a tape holds. */
    uint8_t data[PICMID_CELLS + 8]; /* by address: what is the same in several banks lies in the first one */
    uint8_t w, sp, sleeping, serving, watchdog, begun,
        guarded; /* begun: the configuration has been read; guarded: the watchdog runs */
    uint16_t stk[PICMID_LEVELS];
    uint32_t zero, carry, half; /* Z is zero & 0xff == 0; carry: 0 or 1; half: DC is bit 4 */
    kit_lines lines;
};

#define PICMID_REGISTER_LIST(R)                                                                              \
    R(PC, "pc", 13, "program counter", false, PICMID_CODE)                                                   \
    R(W, "w", 8, "working register", false, 0)                                                               \
    R(SP, "sp", 4, "levels of the stack in use", false, 0)                                                   \
    R(STK0, "stk0", 13, "return address", false, 0)                                                          \
    R(STK1, "stk1", 13, "return address", false, 0)                                                          \
    R(STK2, "stk2", 13, "return address", false, 0)                                                          \
    R(STK3, "stk3", 13, "return address", false, 0)                                                          \
    R(STK4, "stk4", 13, "return address", false, 0)                                                          \
    R(STK5, "stk5", 13, "return address", false, 0)                                                          \
    R(STK6, "stk6", 13, "return address", false, 0)                                                          \
    R(STK7, "stk7", 13, "return address", false, 0)                                                          \
    R(STATUS, "status", 8, "flags and banks", true, 0)                                                       \
    R(FSR, "fsr", 8, "pointer", true, PICMID_FILE)                                                           \
    R(PCLATH, "pclath", 5, "upper bits of a target", true, 0)
#define PICMID_REGISTER_NUMBER(id, ...) PICMID_REG_##id,
enum { PICMID_REGISTER_LIST(PICMID_REGISTER_NUMBER) PICMID_REGISTERS };

/* An address of the register file in the bank where what is there lies first: what is the same in several. */
uint32_t picmid_home(uint32_t address);

extern const oak_isa oak_isa_picmid;
extern const oak_core_ops picmid_core_ops;

#endif
