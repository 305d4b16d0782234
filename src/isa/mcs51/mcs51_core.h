/* mcs51_core.h — the state of one MCS-51 and its decoded program.
 *
 * Code is decoded when it is first reached, one operation per code address, so that a jump into the middle of an
 * instruction works as on the chip. An operation holds the cost (cycles and instructions) of everything from itself
 * to the end of its straight block; the loop charges it once, when it enters there, and gives back what was not
 * executed when it leaves in the middle. */
#ifndef OAK_MCS51_CORE_H
#define OAK_MCS51_CORE_H

#include "base/bytes.h"
#include "isa/edits.h"
#include "isa/mcs51/mcs51.h"
#include "isa/tally.h"

enum {
    MCS51_LINES = 6,
    CODE_SPACE = 0x10000,
    SLOTS = CODE_SPACE + 4, /* spare operations, for instructions on special registers */
    OPS = SLOTS + 4,
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

/* Handlers beyond the rows of the table. */
enum {
    OP_DECODE = MCS51_ROWS, /* not decoded yet */
    OP_WRAP,                /* behind the last code address: goes on at 0 */
    OP_STOP,                /* a stop point */
    OP_WATCHED,             /* an instruction that may reach a watched cell */
    OP_PARKED,              /* a jump to itself */
    OP_IO,                  /* an instruction on a special register with an effect of its own */
    OP_IO_DONE,             /* behind such an instruction */
    OP_IO_TAKEN,            /* at the target of such a branch */
    OP_RESERVED,
    OP_UNPROGRAMMED,
    OP_OUTSIDE,
    OP_COUNT
};

typedef struct mcs51_op {
    uint8_t handler;
    uint8_t x;       /* register number, bit mask or immediate */
    uint16_t at;     /* data index, or immediate */
    uint32_t target; /* code address, or data index of a source */
    uint64_t cost;   /* instructions << 32 | cycles, to the end of the block */
} mcs51_op;

/* How the loop was left. */
typedef enum mcs51_exit {
    EXIT_TIME,
    EXIT_STEP,
    EXIT_STOP,
    EXIT_WATCH, /* the next instruction reaches a watched cell */
    EXIT_PARKED,
    EXIT_FAULT,
    EXIT_EVENT,
    EXIT_STACK
} mcs51_exit;

struct oak_core {
    const oak_isa_tables *tables;
    oak_core_setup setup;
    oak_chip_time time;
    uint32_t pc;
    bool decoded; /* something is decoded */
    uint32_t code_size, ram_top, xram_size;
    uint32_t xram_plain;       /* external RAM below this is there and can be written */
    oak_external external[16]; /* what is on the external bus, where somebody has said so */
    unsigned external_count;
    uint8_t a, cy;
    uint32_t carries; /* a ^ operand ^ result of the last addition: AC is bit 4, OV is bit 7 ^ bit 8 */
    uint8_t data[DATA_SIZE];
    oak_fault fault;
    uint8_t fault_space;
    uint32_t fault_address;
    /* Interrupts: line n belongs to bit n of IE and IP and to the vector 8 * n + 3. */
    uint8_t line;               /* what asks for an interrupt, a bit a line */
    uint8_t serving;            /* bit 0: one of low priority is being served; bit 1: one of high priority */
    uint8_t served[2];          /* and which */
    bool blocked;               /* one instruction must pass first: behind reti and a write to IE or IP */
    bool attention;             /* something changed that the run must look at before the next instruction */
    bool struck;                /* a device ends the run with a fault */
    bool resets;                /* the chip resets itself before it goes on */
    bool faulted;               /* an interrupt could not be served */
    uint8_t stack_top;          /* the last byte of RAM that the stack may fill without a second look */
    uint8_t object[256];        /* 1 where something of the program's begins */
    oak_service_log log;        /* by line + 1 */
    uint64_t from[MCS51_LINES]; /* the first cycle at whose beginning an interrupt can be served */
    uint64_t next_device;       /* the next cycle at which a device does something, 0: not known */
    uint64_t next_event;        /* or at which a line can be noticed */
    uint32_t own_cycles[MCS51_ROWS];
    bool takes_bit[MCS51_ROWS];
    oak_cell_kind cell[128];
    uint8_t *code, *known, *xram;
    oak_watched watched[OAK_MOST_WATCHED];
    unsigned watched_count;
    uint32_t watched_banked;       /* those of r0 to r7: they lie in the bank that is selected; a bit each */
    bool special_watched;          /* a special register is */
    bool registers_watched;        /* one of the registers that instructions name lies in a watched cell */
    uint32_t watch_hits, watch_pc; /* as in oak_stop */
    bool ram_watched
        [RAM_SIZE]; /* a quick look: is anything of these watched? Of the external RAM, of the code? */
    uint32_t xram_first, xram_last, code_first, code_last;
    /* Watched cells that the instruction under way writes, and what they held. */
    struct {
        uint8_t number, value, bits;
        uint8_t *cell;
    } written[8];
    unsigned written_count;
    uint8_t operand_access[MCS51_ROWS][MCS51_MOST_OPERANDS]; /* of oak_access */
    /* What a row does without naming it: bits of PSW that it looks at and sets, and whether it uses the stack or, to jump, a. */
    struct {
        uint8_t flags_read, flags_written;
        bool stack, tests_a;
    } silent[MCS51_ROWS];
    /* The class of the one operand whose place only the registers tell, where a glance at it (and at a direct byte beside a
     * register) is enough; else 0. */
    uint8_t pointer[MCS51_ROWS];
    bool observed;       /* something is watched or counted */
    oak_tallies tallies; /* by code address */
    oak_edits edits;     /* of the code */
    uint8_t *row;        /* row of each decoded address */
    uint8_t *stop_at;    /* 1 where a stop point is */
    mcs51_op *ops;
};

unsigned mcs51_touches(oak_core *core, oak_watched *list, unsigned room);
/* Decodes the straight block that begins at `pc`. */
void mcs51_decode_block(oak_core *core, uint32_t pc);
/* The handler an address has when no stop point is there and nothing is watched; and when no stop point is there. */
uint8_t mcs51_natural(const oak_core *core, uint32_t pc);
uint8_t mcs51_handler(const oak_core *core, uint32_t pc);
/* True when direct index `at` needs more than a plain load or store. */
bool mcs51_is_io(const oak_core *core, uint32_t at);
/* An access at the beginning of the cycle `now`. latch: the instruction changes and writes back. */
uint8_t mcs51_io_read(oak_core *core, uint32_t at, bool latch, uint8_t asked, uint64_t now);
void mcs51_io_write(oak_core *core, uint32_t at, uint8_t value, uint64_t now);
/* An access to the external bus that is to be looked at: false when it is all right. */
bool mcs51_external(const oak_core *core, uint32_t address, bool write);
/* What reti does beside returning, by the end of the instruction. */
void mcs51_served(oak_core *core, uint64_t now);
/* The stack pointer was set: how far may it go? */
void mcs51_stack_set(oak_core *core);
uint8_t mcs51_psw(const oak_core *core);
void mcs51_set_psw(oak_core *core, uint8_t value);

/* The loop, compiled twice from mcs51_loop.h: whole blocks while they fit, and single instructions until the time is up. */
mcs51_exit mcs51_run_plain(oak_core *core, uint32_t limit);
mcs51_exit mcs51_run_singly(oak_core *core, uint32_t limit);

/* mcs51_watch.c */
void mcs51_open_watch(oak_core *core);
OAK_MUST_USE oak_status mcs51_watch(oak_core *core, const oak_watched *watched, unsigned count);
/* May the instruction at an address reach what is watched, with whatever is in the registers? Does it, with what is there now? */
bool mcs51_may_reach(const oak_core *core, uint32_t pc);
bool mcs51_reaches(const oak_core *core, uint32_t pc);
/* Around the execution of the instruction at an address: notes what it reaches, and then what has become of it. */
void mcs51_watch_begin(oak_core *core, uint32_t pc);
void mcs51_watch_end(oak_core *core);
/* Around the entry of a handler, which pushes the return address. */
void mcs51_watch_entry(oak_core *core, uint32_t vector);
/* The stored bytes of a space, or NULL when [address, address + count) is not wholly inside it. */
uint8_t *mcs51_cells(const oak_core *core, unsigned space, uint32_t address, size_t count);

#endif
