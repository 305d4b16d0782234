/* mcs51_core.h — the state of one MCS-51, around the kit's. */
#ifndef OAK_MCS51_CORE_H
#define OAK_MCS51_CORE_H

#include "base/bytes.h"
#include "isa/kit/table.h"
#include "isa/mcs51/mcs51.h"

enum {
    MCS51_LINES = 6,
    MCS51_LONGEST = 4, /* cycles of the longest instruction */
    MCS51_SPAN = 0x10000,
    /* data[]: internal RAM at its addresses, then the special registers, then scratch cells */
    RAM_SIZE = 0x100,
    SFR_AT = 0x80, /* data index of special register s is s + SFR_AT, so 0x100 to 0x17f */
    SCRATCH = 0x180,
    SOURCE_SCRATCH,
    DATA_SIZE,
    PORT2 = 0xA0 + SFR_AT,
    PCON = 0x87 + SFR_AT,
    IE = 0xA8 + SFR_AT,
    IP = 0xB8 + SFR_AT,
    SP = 0x81 + SFR_AT,
    DPL = 0x82 + SFR_AT,
    DPH = 0x83 + SFR_AT,
    PSW = 0xD0 + SFR_AT,
    ACC = 0xE0 + SFR_AT,
    B = 0xF0 + SFR_AT
};

/* Handlers beyond those of the kit and the rows. */
enum {
    MCS51_IO =
        KIT_FIRST_ROW + MCS51_ROWS, /* an instruction on a special register with an effect of its own */
    MCS51_IO_DONE,                  /* behind such an instruction */
    MCS51_IO_TAKEN                  /* at the target of such a branch */
};

struct oak_core {
    kit_core kit; /* first */
    uint32_t code_size, ram_top, xram_size;
    const uint8_t *code;
    uint8_t *xram;
    oak_cell_kind cell[128];
    uint8_t object[256];   /* 1 where something of the program's begins */
    uint8_t top_from[256]; /* of each stack pointer: the last byte that may be filled before one of these */
    bool takes_bit[MCS51_ROWS];
    uint8_t touch[MCS51_ROWS]; /* what it does with its direct or bit operand (mcs51_touch) */

    /* From here on: what a tape holds. */
    uint32_t xram_plain;       /* external RAM below this is there and can be written */
    oak_external external[16]; /* what is on the external bus, where somebody has said so */
    unsigned external_count;
    uint8_t a, cy;
    uint32_t carries; /* a ^ operand ^ result of the last addition: AC is bit 4, OV is bit 7 ^ bit 8 */
    uint8_t data[DATA_SIZE];
    /* Interrupts: line n belongs to bit n of IE and IP and to the vector 8 * n + 3. */
    uint8_t line;               /* what asks for an interrupt, a bit a line */
    uint8_t serving;            /* bit 0: one of low priority is being served; bit 1: one of high priority */
    uint8_t served[2];          /* and which */
    uint8_t stack_top;          /* the last byte of RAM that the stack may fill without a second look */
    uint64_t from[MCS51_LINES]; /* the first cycle at whose beginning an interrupt can be served */
};

#endif
