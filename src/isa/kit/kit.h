/* kit.h — what the cores of small architectures share: everything but their instructions.
 *
 *   rows.h       rows, their numbers and columns out of a table          (included once for each architecture)
 *   dispatch.h   the switch that becomes computed goto                   (the same)
 *   loop.h       the loop around an architecture's cases, in two forms   (the same)
 *   ready.c      decoded operations, chains and their cost, stop points, forgetting
 *   run.c        the run around the loop: events, budgets, interrupts, parked, devices that end it
 *   cells.c      spaces as a table: programming, reading, writing, what came from outside, the tape, tallies
 *   guard.c      code and data in one memory: what a store must look at, code that is overwritten
 *   wide.c       addresses of 32 bits: where code lies among them, loads and stores that are not plain
 *   watch.c      what an instruction reaches, what somebody wants to know of it
 *
 * Code is decoded when it is first reached, one operation for each address, so that a jump into the middle of an instruction works
 * as on the chip. An operation holds the cost (cycles and instructions) of everything from itself to the end of its chain;
 * the loop charges it once, when it enters there, and gives back what was not executed when it leaves in the middle.
 *
 * Operations lie in slots. Where an architecture's addresses are few, an address is its slot; else (`slot_bytes`) the memories that code can lie in
 * have theirs, one behind the other, and kit_address and kit_slot lead from one to the other. `pc` is a slot inside the kit.
 *
 * An architecture's oak_core begins with a kit_core, and says in a kit_arch what is its own. */
#ifndef OAK_ISA_KIT_H
#define OAK_ISA_KIT_H

#include "isa/edits.h"
#include "isa/isa.h"
#include "isa/judge.h"
#include "isa/tally.h"

/* Handlers that are no rows; row n of the table has the handler KIT_FIRST_ROW + n, what an architecture adds stands behind. */
enum kit_handler {
    KIT_DECODE,       /* not decoded yet: zeroed memory will do */
    KIT_WRAP,         /* behind the last address: goes on at 0 */
    KIT_STOP,         /* a stop point */
    KIT_WATCHED,      /* an instruction that may reach what is watched */
    KIT_PARKED,       /* a jump to itself */
    KIT_RESERVED,     /* no instruction has this code */
    KIT_UNPROGRAMMED, /* nothing was ever put here */
    KIT_OUTSIDE,      /* the part has no memory here */
    KIT_FIRST_ROW
};

typedef struct kit_op {
    uint16_t handler;
    uint8_t x, y;    /* register numbers, masks, short immediates */
    uint32_t at;     /* a cell, an immediate, an address */
    uint64_t cost;   /* instructions << 32 | cycles, to the end of the chain */
    uint32_t to;     /* a target, in bytes from here (kit_way); or another cell */
    uint16_t size;   /* units of the instruction */
    uint16_t judged; /* the values that it may change of those that are judged, a bit each */
} kit_op;

enum {
    KIT_SPARE = 8,
    KIT_MOST_SPACES = 10,
    KIT_MOST_STRETCHES = 18,
    KIT_MOST_USES = 20,                   /* registers and cells that an instruction names */
    KIT_MOST_REACHED = KIT_MOST_USES + 4, /* with what the stack and `more_cells` add */
    KIT_MOST_WRITTEN = 8,
    KIT_MOST_LANDS = 8,
    KIT_MOST_LAND_BYTES = 1 << 28, /* of all of them */
    KIT_NOWHERES = 64,             /* addresses without code, that have slots of their own all the same: */
    KIT_GONE_TO = 4,               /* those that pc has been at last, */
    KIT_CROWDED = 56, /* and those that decoded jumps lead to; from so many on all is decoded anew */
    KIT_MOST_KNOWN = 256
};

/* How the loop was left. */
typedef enum kit_exit {
    KIT_EXIT_TIME,
    KIT_EXIT_STEP,
    KIT_EXIT_STOP,
    KIT_EXIT_WATCH, /* the next instruction reaches a watched cell */
    KIT_EXIT_PARKED,
    KIT_EXIT_FAULT,
    KIT_EXIT_EVENT,
    KIT_EXIT_RAISED, /* the instruction raises an exception: for the architecture's `raised` */
    KIT_EXIT_HELP    /* the architecture's `help` is to look, before the same instruction is tried again */
} kit_exit;

/* Why a cell of a memory that holds code and data is not simply stored to, or read (KIT_GUARD_READS): of these a kit_core has a byte for each
 * address of code, where programs write where code is. */
enum {
    KIT_GUARD_FIXED = 1,   /* it keeps its contents */
    KIT_GUARD_ABSENT = 2,  /* it is not there */
    KIT_GUARD_CODE = 4,    /* it is part of a decoded instruction */
    KIT_GUARD_FRESH = 8,   /* nothing was ever put there */
    KIT_GUARD_UNREAD = 16, /* and reading it is a fault */
    KIT_GUARD_READS = KIT_GUARD_ABSENT | KIT_GUARD_UNREAD
};

/* One stretch of a space: where its cells are kept. */
typedef struct kit_space {
    uint8_t number;       /* of the space */
    uint8_t *cells;       /* of the address `first` on; NULL: the part has none */
    uint8_t *known;       /* 1 where it was programmed; NULL: a program writes there */
    uint32_t first, size; /* in units */
    uint8_t *present;     /* of a special space: 1 where the part has a register; or NULL */
    uint8_t unit;         /* bytes of one; 0 is 1 */
    bool lasts;           /* a reset leaves it as it is: it keeps what was written */
    bool owned;           /* its cells are the kit's to give back */
} kit_space;

/* Cells that an instruction reaches in one space; in space 0 a register that lies in none is one. */
typedef struct kit_reach {
    uint8_t space, accesses, bits; /* bits: those it looks at or sets, of a single byte */
    bool known;                    /* false: the registers decide where, when it runs; */
    uint8_t banks, stride;         /* but only among so many, so far from each other */
    uint32_t address, size;
} kit_reach;

enum {
    KIT_READS = OAK_ACCESS_READ,
    KIT_WRITES = OAK_ACCESS_WRITE,
    KIT_BOTH = OAK_ACCESS_READ | OAK_ACCESS_WRITE
};

/* What somebody wants to know of; where it is a register of one of several banks, so many and so far from each other. */
typedef struct kit_wanted {
    oak_watched cells;
    uint8_t banks, stride;
} kit_wanted;

/* What the columns of a row say of one: whether a register points to it (number + 1), and whether it is seen through a window. */
typedef struct kit_use {
    kit_reach reach;
    uint8_t pointer;
    bool windowed;
    bool part; /* its address is only a part of one */
} kit_use;
/* What is known of the instruction at an address. */
struct kit_known {
    uint32_t pc;
    bool filled;
    bool more;     /* it reaches what no operand names */
    int8_t pushed; /* bytes put on the stack, or taken off it */
    uint8_t count, first_wanted;
    /* Among the watches that had this number: the uses that one may want, a bit each from the first on, and the addresses these lie
     * between; and the handler the instruction has by itself. */
    uint32_t watching, low, high;
    uint32_t wanted;
    uint16_t natural;
    oak_decoded decoded;
    kit_use use[KIT_MOST_USES];
};

struct kit_register {
    size_t offset; /* in an oak_core */
    uint8_t bytes;
    bool pair; /* two bytes, the low one first, whatever the order of the host */
};
/* What a core remembers beside registers and memory, as state files hold it. */
typedef struct kit_inner {
    const char *name;
    size_t offset;
    uint8_t bytes;
    uint64_t most; /* what a file says beyond this is cut down to it */
} kit_inner;

/* A member of an oak_core as these two have it. */
#define KIT_INNER(name, member, most)                                                                        \
    {                                                                                                        \
        name, offsetof(oak_core, member), sizeof((oak_core *)0)->member, most                                \
    }
#define KIT_AT(member)                                                                                       \
    {                                                                                                        \
        offsetof(oak_core, member), sizeof((oak_core *)0)->member, false                                     \
    }

/* What an architecture has of its own. What is said to be optional may be NULL. */
typedef struct kit_arch {
    const oak_isa *isa;
    uint32_t code_span; /* addresses that the program counter has; behind the last it goes on at 0 */
    uint8_t slot_bytes; /* or 0 such, and an operation for so many bytes of each memory that can hold code */
    size_t core_size;   /* bytes of an oak_core */
    const uint8_t *cycles; /* of each row, whatever happens */
    /* The loop in its forms: whole chains while they fit into `limit` cycles; single instructions until these are used up. */
    kit_exit (*run_chains)(oak_core *core, uint32_t limit);
    kit_exit (*run_singly)(oak_core *core, uint32_t limit);
    kit_exit (*run_counted)(oak_core *core, uint32_t limit); /* whole chains, counted */
    kit_exit (*run_judged)(oak_core *core, uint32_t limit);  /* and with a look at each instruction */
    kit_exit (*run_kept)(oak_core *core, uint32_t limit);    /* which is only put down */
    /* Fills in the operands of the operation of a decoded instruction. Optional: as the classes say (kit_row_fill). */
    void (*fill)(oak_core *core, const oak_decoded *decoded, kit_op *op);
    /* The handler an instruction has by itself, where that is not the one of its row. Optional. */
    uint16_t (*natural)(const oak_core *core, uint32_t pc, uint16_t handler);
    /* What a reset does on the chip beside what it does to a kit_core; RAM keeps what it holds. */
    void (*reset)(oak_core *core);
    /* Serves the most urgent interrupt that can be served now; true when one was, or a fault was found in trying (`faulted`). */
    bool (*interrupt)(oak_core *core);
    /* The first cycle behind now at which a line that asks can be served, UINT64_MAX for none; devices of the core's own are brought to
     * the present. */
    uint64_t (*noticed_at)(oak_core *core);
    /* True when no interrupt can be taken whatever comes. */
    bool (*deaf)(const oak_core *core);
    /* 0: it runs; 1: it sleeps until an interrupt; 2: for good. Optional. */
    unsigned (*asleep)(oak_core *core);
    /* After KIT_EXIT_HELP: true when the instruction may be tried again, else the fault is set. Optional. */
    bool (*help)(oak_core *core);
    /* After KIT_EXIT_RAISED: true when the exception was taken, else the fault is set. Optional. */
    bool (*raised)(oak_core *core);
    /* After a fault of an instruction: true when the core takes it as an exception. Optional. */
    bool (*traps)(oak_core *core);
    /* Code has been put into its memory. Optional. */
    void (*programmed)(oak_core *core);
    /* Before a run: false when it cannot begin, with the fault set. Optional. */
    bool (*starts)(oak_core *core);
    /* What of a stop is its own to tell. Optional. */
    void (*explain)(const oak_core *core, oak_stop *stop);
    /* Cells of special spaces, as a program would see them and without effects; writing as a program would. Optional. */
    uint8_t (*peek)(const oak_core *core, unsigned space, uint32_t address, uint8_t stored);
    void (*poke)(oak_core *core, unsigned space, uint32_t address, uint8_t value);
    /* What is added to the first bank's addresses while another one is selected; of architectures with banks. */
    uint32_t (*bank)(const oak_core *core);
    /* Where registers are kept, by number; 0 bytes: not in one place. */
    const struct kit_register *registers_at;
    const kit_inner *inner; /* up to one without a name */
    /* Beside the columns of the rows (uses.c): where the cell of an operand really lies; cells that no operand names, always so many
     * of a row. Optional. */
    void (*window)(const oak_core *core, const oak_decoded *decoded, kit_reach *one);
    /* With what is in the registers now it would reach what its row says beside registers: false where a condition keeps it from it.
     * Optional. */
    bool (*passes)(const oak_core *core, const oak_decoded *decoded);
    /* Of an architecture whose rows have no columns that the kit reads, more_cells tells all that is reached where `passes` holds; this what is
     * reached in any case. */
    unsigned (*always)(const oak_core *core, const oak_decoded *decoded, kit_reach *list);
    unsigned (*more_cells)(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count);
    /* Of an architecture whose operations are its own (code_span is 0, and kit_core's `slots` says how many there are): bytes of one; the
     * slot of an address of code, `slots` for none; and what the kit does with its own otherwise. */
    size_t op_bytes;
    kit_exit (*stretch)(oak_core *core, uint64_t left, bool first); /* run_stretch, see run.c */
    uint32_t (*round)(oak_core *core); /* a jump to itself is gone round, here: its cycles */
    uint32_t (*slot)(const oak_core *core, uint32_t address);
    void (*forget)(oak_core *core);
    void (*fold_counts)(oak_core *core);
    bool
        skips; /* branches are skips: a chain goes on behind them, and what a skip leaves out is given back (SKIP) */
    uint16_t alike; /* handlers from this one on go on as their rows do; or 0 */
    bool paged;     /* where a jump leads is known when it runs: a case of its own tells a jump to itself */
    uint16_t taken; /* the handler in front of the spare operations: of a branch that is tried there; or 0 */
    /* See vectored.h: members of an oak_core; lines that are let through, a bit each. An interrupt puts on the stack what it does and goes
     * where the vector says: its cycles, 0 with the fault set. */
    size_t objects, stack, lines;
    uint32_t (*enabled)(const oak_core *core);
    unsigned (*enter)(oak_core *core, uint32_t vector, uint64_t now);
    /* The register that lies nowhere: flags, as a program sees them. */
    uint32_t (*status)(const oak_core *core);
    /* Registers that the way into a handler changes beside the stack: their numbers + 1, up to 0. */
    uint8_t entry_writes[5];
    void (*set_status)(oak_core *core, uint32_t value);
    size_t tape_from,
        tape_to; /* what of an oak_core goes on a tape beside its kit_core and spaces: offsets */
} kit_arch;

/* How often what begins at an operation was entered, less how often it was left in front of it; and cycles beyond those of the row. */
struct kit_counted {
    int64_t entered;
    uint64_t more;
};

_Static_assert(sizeof(struct kit_counted) <= sizeof(kit_op), "counts lie at the offsets of operations");

/* A memory that can hold code: its addresses, its first slot, the first of its bytes among all. */
typedef struct kit_land {
    uint32_t base, size, first, bytes;
} kit_land;

typedef struct kit_core {
    const kit_arch *arch;
    const oak_isa_tables *tables;
    oak_core_setup setup;
    kit_space space
        [KIT_MOST_STRETCHES]; /* the first one of each space by its number, then whatever more they have */
    kit_op *ops;
    uint32_t slots; /* of operations, where they are the architecture's own */
    uint32_t span;  /* else of these, without spare ones */
    kit_land land[KIT_MOST_LANDS];
    unsigned land_count;
    uint32_t guard_bytes;
    uint16_t *
        row; /* the handler of each decoded address by itself, its row or why there is none; KIT_DECODE elsewhere */
    uint8_t *stop_at; /* 1 where a stop point is */
    uint8_t *
        guard; /* of each address of code, the architecture's own memory; NULL where nothing writes there: see guard.c */
    bool checks_reads; /* reading what was never written is a fault */
    bool
        overwritten; /* decoded code was, from `first_over` to `last_over`; it is forgotten behind the loop */
    uint32_t first_over, last_over;
    const uint8_t *own_cycles; /* of each row */
    bool decoded;              /* something is: */
    uint32_t low, high;        /* from here on, before there */
    bool used;                 /* something may have been written since the last reset */
    oak_tallies tallies;       /* by code address */
    char *
        counts; /* chains entered since they were last taken into the tallies: a kit_counted at each operation's offset */
    bool counting;   /* some may not be 0 */
    oak_edits edits; /* of the code */
    struct kit_known *known,
        last_known; /* KIT_MOST_KNOWN by address, once somebody looks; without memory for them one will do */
    kit_wanted watched[OAK_MOST_WATCHED];
    kit_wanted judges[OAK_MOST_JUDGED]
                     [2]; /* where each value lies, and what it follows; no accesses: nothing */
    unsigned watched_count;
    uint32_t watching; /* counts whenever they change */
    bool observed;     /* something is watched, judged or counted */
    /* The instruction under way reaches a register with an effect (effects.h): its operation, NULL for none. */
    struct kit_effect {
        kit_op *op;
        uint64_t end;
        uint32_t at;
        bool writes, skips, whole; /* whole: nothing of its chain is behind it */
    } effect;
    /* Watched cells that the instruction under way writes, and what they held. */
    struct kit_written {
        uint8_t number, value, bits;
        uint8_t *cell;
    } written[KIT_MOST_WRITTEN];
    unsigned written_count;
    uint32_t watch_hits, watch_pc; /* as in oak_stop */
    bool halted;                   /* somebody outside ends the run */
    uint16_t judged_always;        /* the values that may change by themselves, a bit each */
    oak_judged judged;
    uint32_t judged_pc; /* the instruction that was under way last, where somebody judges */

    /* From here on: what a tape holds. */
    oak_chip_time time;
    uint32_t pc;
    uint32_t nowhere[KIT_NOWHERES]; /* addresses of the last slots */
    uint32_t nowhere_next, nowhere_used;
    oak_fault fault;
    uint8_t fault_space;
    uint32_t fault_address;
    bool attention;       /* something has changed that the run must look at before the next instruction */
    bool blocked;         /* one instruction must pass before an interrupt is taken */
    bool fresh;           /* nothing has run since reset */
    uint16_t entry;       /* the vector that a reset leads through, of cores that have one (vectored.h) */
    bool struck;          /* a device ends the run with a fault */
    bool resets;          /* the chip resets itself before it goes on */
    bool faulted;         /* an interrupt could not be served */
    uint32_t stalled;     /* cycles that it stands, from here on */
    uint64_t next_device; /* the next cycle at which a device does something, 0: not known */
    uint64_t next_event;  /* or at which a line can be noticed */
    oak_service_log log;
} kit_core;

/* Words in bytes, the low one first, or the high one. */
static inline uint32_t kit_le16(const uint8_t *at)
{
    return (uint32_t)(at[0] | at[1] << 8);
}
static inline void kit_put_le16(uint8_t *at, uint32_t word)
{
    at[0] = (uint8_t)word, at[1] = (uint8_t)(word >> 8);
}
static inline uint32_t kit_be16(const uint8_t *at)
{
    return (uint32_t)(at[0] << 8 | at[1]);
}
static inline void kit_put_be16(uint8_t *at, uint32_t word)
{
    at[0] = (uint8_t)(word >> 8), at[1] = (uint8_t)word;
}

/* The `to` of an operation that goes from one address to another. */
static inline uint32_t kit_way(uint32_t from, uint32_t to)
{
    return (to - from) * (uint32_t)sizeof(kit_op);
}

/* ------------------------------------------------------------------------------------------ wide.c */

/* Lays out the slots; called by kit_create. False where there are too many memories that can hold code, or too much of them. */
bool kit_lay_lands(oak_core *core);
uint32_t kit_far_address(const oak_core *core, uint32_t slot);
/* The slot of an address; one that faults where no code can be: for a while, to go to; or as long as what is decoded, to lead to. */
uint32_t kit_far_slot(oak_core *core, uint32_t address);
uint32_t kit_target_slot(oak_core *core, uint32_t address);
/* All that was decoded has been forgotten. */
void kit_forget_targets(oak_core *core);
/* The same, or `span`. */
uint32_t kit_find_slot(const oak_core *core, uint32_t address);
/* The guard of an address of code memory. */
uint8_t *kit_guard_at(const oak_core *core, uint32_t address);
/* The whole for a core with wide addresses: memories and their guard are the kit's. */
OAK_MUST_USE oak_status kit_create_wide(const kit_arch *arch, const oak_isa_tables *tables,
                                        const oak_core_setup *setup, oak_core **core);
/* A load or store of 1, 2 or 4 bytes that lie together: memory, or a device at a cycle. False with the fault set. */
bool kit_load(oak_core *core, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value);
bool kit_put(oak_core *core, uint32_t address, unsigned bytes, uint32_t value, uint64_t now);

static inline kit_core *kit_of(oak_core *core)
{
    return (kit_core *)(void *)core;
}
static inline const kit_core *kit_look(const oak_core *core)
{
    return (const kit_core *)(const void *)core;
}

static inline uint32_t kit_address(const oak_core *core, uint32_t slot)
{
    return kit_look(core)->arch->slot_bytes ? kit_far_address(core, slot) : slot;
}
/* Quicker in the first one of them. */
static inline uint32_t kit_near_address(const oak_core *core, uint32_t slot)
{
    const kit_land *first = kit_look(core)->land;
    const uint32_t after = slot * kit_look(core)->arch->slot_bytes;
    return after < first->size ? first->base + after : kit_far_address(core, slot);
}
static inline uint32_t kit_slot(oak_core *core, uint32_t address)
{
    return kit_look(core)->arch->slot_bytes ? kit_far_slot(core, address) : address;
}

/* ------------------------------------------------------------------------------------------ cells.c */

/* Takes what every core needs; its spaces are then the architecture's to set up, and kit_begin to be called. */
OAK_MUST_USE oak_status kit_create(const kit_arch *arch, const oak_isa_tables *tables,
                                   const oak_core_setup *setup, oak_core **core);
void kit_destroy(oak_core *core);
/* The whole for a core whose memories and special spaces are as the part says, no more: it is ready to run. */
OAK_MUST_USE oak_status kit_create_plain(const kit_arch *arch, const oak_isa_tables *tables,
                                         const oak_core_setup *setup, oak_core **core);
/* A register of a special space as a program reads and writes it, at a cycle; false where the part has none. */
bool kit_in(oak_core *core, unsigned space, uint32_t address, uint64_t now, uint32_t *value);
bool kit_out(oak_core *core, unsigned space, uint32_t address, uint8_t value, uint64_t now);
/* Cells of its own for a space, all of them `fill`, which a reset leaves as they are where that is what is erased (0xff); keeps: it is programmed. False when there is no memory, or no place for one more. */
bool kit_take_space(oak_core *core, unsigned space, uint32_t first, uint32_t size, uint8_t fill, bool keeps);
/* The stretch of a space that an address lies in, or NULL. */
kit_space *kit_stretch(const oak_core *core, unsigned space, uint32_t address);
/* All special spaces, with registers where the part has some. False when there is no memory. */
bool kit_take_specials(oak_core *core);
/* Puts cells of the architecture's own into the table of spaces. False when there is no place for one more stretch. */
bool kit_put_space(oak_core *core, kit_space space);
/* The same, in the place of a stretch of that space that begins there, whose cells are given back. */
bool kit_lay_space(oak_core *core, kit_space space);
/* The bytes of code from an address on, OAK_LONGEST_INSN of them; 0xff where there is no memory. */
void kit_fetch(const oak_core *core, uint32_t pc, uint8_t *bytes);
/* The instruction at a slot, whatever is decoded there now. */
OAK_MUST_USE oak_status kit_decode_at(const oak_core *core, uint32_t pc, oak_decoded *decoded);
/* What stands still: devices by their clocks, a bit each, from a cycle on. */
void kit_clocks(oak_core *core, unsigned off, uint64_t now);
/* The stored cells of a space, or NULL when [address, address + count) is not wholly inside it. */
uint8_t *kit_cells(const oak_core *core, unsigned space, uint32_t address, size_t count);
void kit_begin(oak_core *core);

/* ------------------------------------------------------------------------------------------ guard.c */

/* The whole for a core whose code and data share one memory, byte for byte: `mem`, `known` and `guard` (one more than addresses) are offsets in an
 * oak_core. What else the part has is the kit's. */
OAK_MUST_USE oak_status kit_create_guarded(const kit_arch *arch, const oak_isa_tables *tables,
                                           const oak_core_setup *setup, size_t mem, size_t known,
                                           size_t guard, oak_core **core);
/* What is guarded when nothing has run yet. */
void kit_guard_lay(oak_core *core);
/* The instruction at an address has been decoded out of so many units. */
void kit_guard_decoded(oak_core *core, uint32_t pc, unsigned units);
/* A store to a cell that is guarded. False with the fault set; else calls for attention when decoded code was overwritten. */
bool kit_store(oak_core *core, uint32_t address, uint8_t value);
/* What a read of a cell that is guarded for it is: sets the fault. */
void kit_unread(oak_core *core, uint32_t address);
/* A byte or a word of the first 64 KiB as a program reaches them, in the architecture's order: a device where there is one, else memory.
 * False with the fault set. */
bool kit_guarded_read(oak_core *core, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value);
bool kit_guarded_write(oak_core *core, uint32_t address, unsigned bytes, uint32_t value, uint64_t now);
bool kit_ends_chain(const oak_core *core, uint32_t pc);
/* Cells have been written from outside. */
void kit_guard_written(oak_core *core, uint32_t address, size_t count);
/* Forgets the decoded code that was overwritten. */
void kit_forget_overwritten(oak_core *core);
OAK_MUST_USE oak_status kit_check_reads(oak_core *core, bool on);

/* Sets the fault, at an address of code; returns false. */
bool kit_fail(oak_core *core, oak_fault fault, uint32_t address);
/* What a reset does on the chip. */
void kit_reset_chip(oak_core *core);
/* Power comes: RAM begins with zeros, and time with it. */
void kit_reset(oak_core *core);
OAK_MUST_USE oak_status kit_program(oak_core *core, uint32_t address, const uint8_t *bytes, size_t count);
OAK_MUST_USE oak_status kit_read_memory(const oak_core *core, unsigned space, uint32_t address,
                                        uint8_t *bytes, size_t count);
OAK_MUST_USE oak_status kit_write_memory(oak_core *core, unsigned space, uint32_t address,
                                         const uint8_t *bytes, size_t count);
oak_chip_time *kit_time(oak_core *core);
uint32_t kit_place(const oak_core *core);
void kit_tape(oak_core *core, oak_tape *tape);
void kit_visit(oak_core *core, const oak_state_visitor *visitor); /* state.c */
OAK_MUST_USE oak_status kit_count(oak_core *core, bool on);
OAK_MUST_USE oak_status kit_counted(const oak_core *core, uint32_t address, oak_tally *tally);
oak_service_log *kit_services(oak_core *core);
void kit_halt(oak_core *core);

/* ------------------------------------------------------------------------------------------ ready.c */

/* Why nothing can be executed at an address, for want of one of so many units, and which; 0 when all are there. */
uint16_t kit_missing(const oak_core *core, uint32_t pc, unsigned units, uint32_t *which);
/* Decodes the chain that begins at `pc`. */
void kit_decode_chain(oak_core *core, uint32_t pc);
void kit_forget(oak_core *core);
/* Takes what was counted by chains into the tallies. */
void kit_fold_counts(oak_core *core);
void kit_lay_out(oak_core *core); /* the spare operations behind the last address */
OAK_MUST_USE oak_status kit_set_stop(oak_core *core, uint32_t address, bool on);
/* The handler an address has when no stop point is there and nothing is watched; and when no stop point is there. */
uint16_t kit_natural(const oak_core *core, uint32_t pc);
uint16_t kit_handler_at(const oak_core *core, uint32_t pc);
/* Every operation gets the handler it should have, after what is watched has changed. */
void kit_choose_handlers(oak_core *core);

/* ------------------------------------------------------------------------------------------ run.c */

void kit_run(oak_core *core, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop);
void kit_attend(oak_core *core);
void kit_stall(oak_core *core, uint32_t cycles);
void kit_strike(oak_core *core, const oak_notice *notice, bool ends_run, bool resets);

/* ------------------------------------------------------------------------------------------ watch.c */

OAK_MUST_USE oak_status kit_watch(oak_core *core, const oak_watched *cells, unsigned count);
unsigned kit_touches(oak_core *core, oak_watched *list, unsigned room);
/* May the instruction at an address reach one of these, with whatever is in the registers? */
bool kit_may_reach(const oak_core *core, uint32_t pc, const kit_wanted *wanted, unsigned count);
/* The judged values that it may write, a bit each. */
uint16_t kit_may_change(const oak_core *core, uint32_t pc);
/* The handler it has by itself; 0 when it reaches what is watched with what is in the registers now. */
uint16_t kit_unwatched(oak_core *core, uint32_t pc);
/* Around the execution of the instruction at an address: notes what it reaches, and then what has become of it. */
void kit_watch_begin(oak_core *core, uint32_t pc);
void kit_watch_end(oak_core *core);
/* So many registers, from one on, become something else by what no instruction says: a reset, a trap, another mode. */
void kit_watch_registers(oak_core *core, unsigned first, unsigned count);
/* What is written where one of them is: itself, or the cells that it lies in. */
kit_reach kit_register_written(const oak_architecture *about, unsigned reg);
/* Before a handler is entered; kit_watch_end follows. */
void kit_watch_entry(oak_core *core, uint32_t vector);
OAK_MUST_USE oak_status kit_judge(oak_core *core, const oak_judge *judge);
/* An instruction has passed: has the judge said that the run ends here? */
static inline bool kit_judged(oak_core *core)
{
    kit_core *kit = kit_of(core);
    oak_judged_forget(&kit->judged);
    if (!oak_judged_look(&kit->judged, core, OAK_JUDGED_ALL)) return false;
    kit->watch_pc = kit->judged_pc;
    return kit->attention = true;
}

/* The forms of an architecture's loop (loops.h): declared, and in its kit_arch. */
#define KIT_LOOPS(prefix)                                                                                    \
    kit_exit prefix##run_chains(oak_core *core, uint32_t limit),                                             \
        prefix##run_counted(oak_core *core, uint32_t limit),                                                 \
        prefix##run_judged(oak_core *core, uint32_t limit),                                                  \
        prefix##run_kept(oak_core *core, uint32_t limit), prefix##run_singly(oak_core *core, uint32_t limit)
#define KIT_LOOPS_OF(prefix)                                                                                 \
    .run_chains = prefix##run_chains, .run_counted = prefix##run_counted, .run_judged = prefix##run_judged,  \
    .run_kept = prefix##run_kept, .run_singly = prefix##run_singly

/* What every architecture takes from the kit as it is. */
#define KIT_CORE_OPS_BUT_MEMORY                                                                              \
    .destroy = kit_destroy, .reset = kit_reset, .program = kit_program, .run = kit_run,                      \
    .set_stop = kit_set_stop, .time = kit_time, .halt = kit_halt, .attend = kit_attend,                      \
    .strike = kit_strike, .services = kit_services, .count = kit_count, .counted = kit_counted,              \
    .tape = kit_tape, .place = kit_place, .watch = kit_watch, .judge = kit_judge, .visit = kit_visit,        \
    .touches = kit_touches, .stall = kit_stall
#define KIT_CORE_OPS KIT_CORE_OPS_BUT_MEMORY, .read_memory = kit_read_memory, .write_memory = kit_write_memory

#endif
