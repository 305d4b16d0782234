/* port.h — the only door between the core and everything outside it.
 *
 *   host port   memory, and files by name                          (an operating system, or a static buffer)
 *   line port   a line of bytes to a board or a programmer         (a terminal device, or a stand-in)
 *   chip port   one running chip: reset, run, registers, memory, pins, time
 *                                                                  (the simulator, or real silicon)
 *
 * The core calls nothing else. To drive real silicon, fill in an oak_chip_ops and hand it to a session. */
#ifndef OAKSPINDLE_PORT_H
#define OAKSPINDLE_PORT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <oakspindle/status.h>

#ifdef __cplusplus
extern "C" {
#endif

/* ------------------------------------------------------------------------------------------ host port */

typedef struct oak_host {
    void *context;
    /* Grows, shrinks or frees a block, as realloc does: block NULL makes a new one, new_size 0 frees it and
     * returns NULL. old_size is the size the block was made with, in bytes. NULL for a new_size above 0 means
     * there is no memory, and the old block is left as it was. */
    void *(*resize)(void *context, void *block, size_t old_size, size_t new_size);
    /* Reads a whole file. *bytes is made by this host's resize with the size *size and belongs to the caller
     * (free it by resize(..., *size, 0)); an empty file gives NULL and 0. Names come out of files that somebody else may
     * have written: what is no file (a folder, a pipe, a device) is refused at once. Returns OAK_NOT_FOUND, OAK_NOT_A_FILE,
     * OAK_IO_ERROR, OAK_OUT_OF_RANGE for a file larger than `limit` bytes, or OAK_NO_MEMORY. May be NULL where there are no
     * files. */
    oak_status (*read_file)(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size);
    /* Makes a block of zeros, which resize may grow and frees; NULL: no memory. Where that is cheaper than to write them; may be
     * NULL, and is to be, or to be replaced as well, where resize is replaced. */
    void *(*zeroed)(void *context, size_t size);
} oak_host;

/* ------------------------------------------------------------------------------------------ line port */

typedef struct oak_line_ops {
    /* Sends all the bytes or fails. */
    oak_status (*send)(void *line, const uint8_t *bytes, size_t count);
    /* Takes what has arrived, at most `room` bytes, waiting at most wait_ms milliseconds for the first one.
     * *count is 0 when none came in time. */
    oak_status (*receive)(void *line, uint8_t *bytes, size_t room, uint32_t wait_ms, size_t *count);
    /* Sets the speed in bits per second. OAK_UNSUPPORTED where the line has no such speed. */
    oak_status (*set_speed)(void *line, uint32_t bits_per_second);
    void (*close)(void *line);
} oak_line_ops;

typedef struct oak_line_port {
    void *line;
    const oak_line_ops *ops;
} oak_line_port;

/* ------------------------------------------------------------------------------------------ chip port */

struct oak_part;

/* Why a run ended. */
typedef enum oak_stop_reason {
    OAK_STOP_NONE,   /* it has not run yet */
    OAK_STOP_STEP,   /* one instruction was executed, as asked */
    OAK_STOP_POINT,  /* it reached a stop point; the instruction there has not been executed */
    OAK_STOP_CYCLES, /* the cycle budget is used up */
    OAK_STOP_STEPS,  /* the instruction budget is used up */
    OAK_STOP_PARKED, /* the next instruction jumps to itself, or the chip sleeps, and nothing can wake it */
    OAK_STOP_FAULT,  /* see oak_fault; the instruction at pc has not been executed */
    OAK_STOP_USER,   /* somebody asked it to stop */
    OAK_STOP_WATCH   /* the program has done what is watched: see oak_watched */
} oak_stop_reason;

/* What a real chip would suffer silently. */
typedef enum oak_fault {
    OAK_FAULT_NONE,
    OAK_FAULT_RESERVED,        /* a reserved operation code; address: where it is */
    OAK_FAULT_UNPROGRAMMED,    /* execution of memory that was never programmed; address: the byte */
    OAK_FAULT_OUTSIDE_CODE,    /* execution beyond the code memory of the part; address: where */
    OAK_FAULT_STACK_OVERFLOW,  /* a push past the end of the RAM; address: the stack pointer before it */
    OAK_FAULT_STACK_UNDERFLOW, /* a pop below the start of the RAM; address: the stack pointer before it */
    OAK_FAULT_ABSENT, /* access to memory or a register the part does not have; space and address say which */
    OAK_FAULT_READ_ONLY, /* a write to memory that keeps its contents; address: the byte */
    OAK_FAULT_UNALIGNED, /* an access at an address that is no multiple of its size; address: the one used */
    OAK_FAULT_UNWRITTEN, /* a read of RAM never written since reset (only when asked for); address: the byte */
    OAK_FAULT_EVEN_JUMP,  /* a jump to an even address where bit 0 must be 1; address: the target */
    OAK_FAULT_DATA_RUN,   /* execution of bytes that the program defines as data; address: where */
    OAK_FAULT_NO_HANDLER, /* an exception whose vector holds no code; address: the number of the exception */
    OAK_FAULT_LOCKUP, /* a fault while a fault of the highest priority was handled; address: the exception */
    OAK_FAULT_DIVIDE, /* a division by 0 where the program has asked for a trap; address: the instruction */
    OAK_FAULT_BAD_RETURN, /* a return from an exception with a value that fits no state; address: the value */
    OAK_FAULT_BREAKPOINT, /* a breakpoint instruction without a debugger; address: the instruction */
    OAK_FAULT_WATCHDOG,   /* the watchdog was not fed in time and resets the chip; address: the instruction */
    OAK_FAULT_WATCHDOG_FREE, /* the same, and since reset nobody has held it or set it up */
    OAK_FAULT_WATCHDOG_KEY, /* it was written without its key, and resets the chip; address: the instruction */
    OAK_FAULT_CONTENTION,   /* chip and outside drive a pin against each other; address: the pin */
    OAK_FAULT_FRAMING,      /* a byte arrived at a serial port without its stop bit; address: the byte */
    OAK_FAULT_OVERRUN,      /* a byte arrived before the last one was taken, and is lost; address: the byte */
    OAK_FAULT_FLOATING,     /* a pin that nothing drives is read; address: the pin */
    OAK_FAULT_READ_ONLY_REGISTER, /* a write to a register that cannot be written; address: the register */
    OAK_FAULT_STACK_DATA,         /* the stack grows into data of the program; address: the byte */
    OAK_FAULT_STAYS_LOCKED,       /* a write to EEPROM begins without what unlocks it; address: the cell */
    OAK_FAULT_STACK_WRAP, /* a hardware stack goes round: a call when all its levels are in use, or a return when none is; address: levels in use */
    OAK_FAULT_BORROWED_LEVEL, /* a pin drives what an instruction has read on it and written back to its latch; address: the pin */
    OAK_FAULT_STACK_END, /* a hardware stack takes its last level, or is empty at a return; address: levels in use */
    OAK_FAULT_ODD_JUMP, /* a jump to an address whose bit 0 asks for another instruction set; address: the target */
    OAK_FAULT_STARVED /* interrupts leave the main program hardly any time; address: its share in 1/1000 */
} oak_fault;

typedef struct oak_stop {
    oak_stop_reason reason;
    uint32_t pc; /* address of the next instruction */
    oak_fault fault;
    uint8_t fault_space; /* number of the space, as in the part's architecture */
    uint32_t fault_address;
    /* The exception of a fault was taken, and the program has parked in its handler: where it came from. */
    bool fault_taken;
    uint32_t fault_pc;
    bool asleep; /* parked in a sleep that nothing will end, not in a jump to itself */
    /* OAK_STOP_WATCH: which of those watched, a bit each from bit 0, and the instruction that did it last. */
    uint32_t watched;
    uint32_t watched_pc;
} oak_stop;

typedef struct oak_chip_time {
    uint64_t cycles; /* cycle units of the part since reset: machine cycles or core clocks */
    uint64_t instructions;
    uint64_t asleep; /* of the cycles, those in which the core slept; a simulated chip counts them */
} oak_chip_time;

/* What stands on a pin. The last two are weak, a resistor to ground or to the supply: only the outside drives so, and what
 * results is low, high or floating. */
typedef enum oak_level {
    OAK_LOW = 0,
    OAK_HIGH = 1,
    OAK_FLOAT = 2,
    OAK_PULLED_LOW = 3,
    OAK_PULLED_HIGH = 4
} oak_level;

typedef struct oak_pin {
    oak_level chip;    /* what the chip drives: low, high, or float for an input or a weak pull-up only */
    bool weak_high;    /* the chip holds the pin up weakly (quasi-bidirectional output at 1) */
    oak_level outside; /* what the outside drives */
    oak_level result;  /* what a meter would show */
    bool contention;   /* chip and outside drive against each other */
} oak_pin;

/* Goes through numbers that belong to the state of a chip beside its registers and memories. `number` is called for each with
 * its name; what it leaves in *value is the chip's from then on. */
typedef struct oak_state_visitor {
    void *context;
    void (*number)(void *context, const char *owner, const char *name, uint64_t *value);
    /* The same for bytes. NULL where nobody has any. */
    void (*bytes)(void *context, const char *owner, const char *name, uint8_t *bytes, size_t count);
} oak_state_visitor;

/* Something that a real chip suffers and says nothing about. */
typedef struct oak_notice {
    oak_fault fault;
    uint8_t space; /* and address: as in oak_stop */
    uint32_t address;
    uint32_t pc; /* of the instruction under way, or the next one */
    uint64_t cycle;
} oak_notice;

/* Copies a state out, or back in, piece by piece and in the same order; with `at` NULL the bytes are only counted. */
typedef struct oak_tape {
    uint8_t *at;
    bool saves;  /* false: brings back */
    size_t size; /* bytes so far */
    bool
        whole; /* with what was sent or printed so far: for a moment that is come back to as it was, not run to again */
} oak_tape;

void oak_tape_piece(oak_tape *tape, void *piece, size_t size);

/* What is outside the chip, on the same clock: whoever drives its pins over time, or watches them. */
typedef struct oak_outside {
    void *context;
    /* It is the beginning of the cycle `now`: drives the pins that change here, through the chip port. Returns the next cycle
     * at which it has something to do, UINT64_MAX for never. */
    uint64_t (*advance)(void *context, uint64_t now);
    /* What a meter would show on a pin has changed. May be NULL. */
    void (*pin_changed)(void *context, unsigned pin, oak_level level, uint64_t cycle);
    /* The chip has suffered something. True ends the run with it, as a fault; false goes on. May be NULL: the run goes on,
     * except for a watchdog and an interrupt without a handler. */
    bool (*noticed)(void *context, const oak_notice *notice);
    /* For what takes part in a session; may be NULL. The chip is reset: it begins anew with the next advance. */
    void (*reset)(void *context);
    /* Shows what it remembers, for state files. */
    void (*visit)(void *context, const oak_state_visitor *visitor);
    /* All it remembers, for going back in time. */
    void (*tape)(void *context, oak_tape *tape);
} oak_outside;

/* What a run ends for: accesses by the program to cells or to registers of the core, or an interrupt or exception. Of a register,
 * space is 0 and `address` its number in the architecture; what an instruction does to it without naming it counts, too (the
 * stack pointer of a push, the flags of an addition). The program counter cannot be watched. */
typedef enum oak_access {
    OAK_ACCESS_READ = 1,
    OAK_ACCESS_WRITE = 2,
    OAK_ACCESS_CHANGE = 4, /* a write of something else than is there; of memory only */
    OAK_ACCESS_HANDLER = 8 /* the handler of the vector `address` is entered, or any when size is 0 */
} oak_access;
typedef struct oak_watched {
    uint8_t space;
    uint8_t accesses; /* of oak_access */
    uint8_t bits;     /* of a single byte: those that matter; 0: all. Not of registers of more than 8 bits. */
    uint32_t address, size;
} oak_watched;
enum { OAK_MOST_WATCHED = 17 };

/* A condition that somebody else works out: behind each instruction that has changed one of these values, of those in `asks`, `ends` is
 * asked with all of them; where it says true the run ends with OAK_STOP_WATCH, with no bit of `watched`. It may take bits out of `matter`, a bit for each
 * value, where others decide until one of these has changed. A value is a register (also what it follows may
 * change it, see oak_flag_info), or at most 4 bytes of memory as a number. Where `accesses` is OAK_ACCESS_CHANGE it may change by itself (the
 * program counter, a register of a device) and is read behind each instruction; else `accesses` and `bits` say nothing here.
 *
 * What only `kept` has a bit of is not asked about: all of these values are put down in a row of `rows` behind each instruction that may have changed
 * one of them (a row may be the same as the one before), and when a run begins. When there is no room for another row `ends` is asked, which takes them out: what it
 * leaves is lost. Who takes rows out at another time has them completed first, and sets `count` and `whole` to 0.
 *
 * What belongs to the chip as a whole is judged as a register is, with one of the numbers below. A stretch of any
 * length with OAK_ACCESS_WRITE alone has no value: it is another number whenever an instruction may have written there, and `written` says so. `works_out` is asked for what the caller makes of the values before it
 * (OAK_JUDGED_WORKED_OUT; several are told apart by `size`), when one of `sources` has changed; the registers of the chip, but for its time, are up to date then.
 *
 * Values come back all the time. Where few are judged (OAK_FEW_JUDGED at most), and all of them are asked about, a chip may put down what they were when `ends` said
 * false, and what mattered then, and not ask for the same again: an entry counts as long as `since` of both is the same.
 *
 * Where there are `limits`, nothing comes of values whose sums, or what some steps make of them, lie outside all of them: a chip need ask only while one lies within, and once when none does any longer. */
enum { OAK_MOST_JUDGED = 16, OAK_MOST_LIMITS = 4, OAK_FEW_JUDGED = 4, OAK_JUDGED_VAIN = 1024 };
enum {
    OAK_JUDGED_TIME = 0x10000, /* the lower half of the cycles since reset */
    OAK_JUDGED_HANDLED,        /* as `served` of the port says */
    OAK_JUDGED_WORKED_OUT,
    OAK_JUDGED_PLACE, /* the program counter, which need only be told where `stays` says false */
    OAK_JUDGED_PINS   /* and behind it: of each port the pins that are not low, a bit each */
};
enum { OAK_JUDGED_ROWS = 256 };
typedef struct oak_judged_rows {
    unsigned count,
        whole; /* so many have all of their columns: the chip may leave out what it knows from the cycle, until */
    void (*complete)(struct oak_judged_rows *rows); /* is called; set by the chip, may be NULL */
    void *chip;                                     /* likewise */
    uint64_t cycle[OAK_JUDGED_ROWS];                /* the end of the instruction */
    uint32_t value[OAK_MOST_JUDGED][OAK_JUDGED_ROWS];
} oak_judged_rows;
typedef struct oak_judged_vain {
    uint32_t value[OAK_FEW_JUDGED], matter, since;
} oak_judged_vain;
typedef struct oak_judged_known {
    uint32_t since;      /* never 0 */
    oak_judged_vain *at; /* OAK_JUDGED_VAIN of them */
} oak_judged_known;
/* Beside sums there are results of some steps, each of which makes of the one before, 0 at first, and a number, a value, or what was kept, another
 * one: as wide as `number`, and wrapped. */
typedef enum oak_judged_step_kind {
    OAK_STEP_ADD,
    OAK_STEP_TAKE,
    OAK_STEP_AND,
    OAK_STEP_OR,
    OAK_STEP_XOR,
    OAK_STEP_TIMES,
    OAK_STEP_LEAST, /* the smaller, and the larger one, with signs */
    OAK_STEP_MOST,
    OAK_STEP_QUOTIENT, /* towards 0, and what is left over, with signs: by 0 it is 0 */
    OAK_STEP_REST,
    OAK_STEP_UP, /* so many bits up, and down, filled up with the highest one: as a number without a sign */
    OAK_STEP_DOWN,
    OAK_STEP_EQUAL, /* 1 where it is, or else 0; the other two with signs */
    OAK_STEP_LESS,
    OAK_STEP_MORE,
    OAK_STEP_KEEP /* it is kept, and 0 comes next */
} oak_judged_step_kind;
typedef enum oak_judged_step_of {
    OAK_STEP_OF_NUMBER,
    OAK_STEP_OF_VALUE, /* (value >> shift) & mask */
    OAK_STEP_OF_KEPT   /* as `value`: below OAK_MOST_KEPT */
} oak_judged_step_of;
enum { OAK_MOST_STEPS = 14, OAK_MOST_KEPT = 4 };
typedef struct oak_judged_step {
    uint8_t kind, of; /* oak_judged_step_kind, oak_judged_step_of */
    uint8_t value, shift;
    uint32_t mask;
    int64_t number;
} oak_judged_step;
typedef struct oak_judged_limits {
    uint32_t values; /* whose sum it is, each so many times, or of which there are steps: a bit each */
    int64_t times[OAK_MOST_JUDGED];
    int64_t from;
    uint64_t width, bits; /* it lies within where the bits of (sum - from) are at most `width` */
    unsigned step_count;
    oak_judged_step steps[OAK_MOST_STEPS];
} oak_judged_limits;
/* Where a value that the caller works out leads to: what stands at a sum of values before it, each so many times, and a number. While that lies in a
 * stretch of plain memory, which the caller has found last, or before, a chip may read it there by itself behind each instruction. */
enum { OAK_MOST_LEADS = 4, OAK_MOST_LED_BY = 2 };
typedef struct oak_judged_lead {
    uint8_t value, there, space, cells; /* `there`: another value worked out, which is 1 then */
    uint8_t source_count, source[OAK_MOST_LED_BY];
    int64_t times[OAK_MOST_LED_BY], number;
    const uint32_t *plain; /* its first cell, and how many (0: none is known), as they are now */
} oak_judged_lead;
typedef struct oak_judge {
    void *context;
    bool (*ends)(void *context, const uint32_t *values, uint32_t *matter);
    /* May be NULL. How far one of these values may go down and up with nothing to say for `ends`, while all others stay. */
    void (*room)(void *context, const uint32_t *values, unsigned number, uint32_t *below, uint32_t *above);
    uint32_t (*works_out)(void *context, unsigned number,
                          const uint32_t *values); /* may be NULL where nothing is */
    const bool *
        restless; /* may be NULL; as long as the caller has set it, it is asked for behind each instruction */
    bool (*written)(void *context); /* may be NULL: whatever was written matters */
    /* May be NULL: never. Wherever the instruction at this address goes on is as good a place as that. */
    bool (*stays)(void *context, uint32_t address);
    const oak_watched *cells;     /* may go when the call has returned, as may */
    const uint32_t *masks;        /* the bits of each that matter: no others are told */
    unsigned count;               /* at most OAK_MOST_JUDGED */
    uint32_t asks, kept, sources; /* a bit for each value, in one of them at least */
    oak_judged_rows *rows;  /* of the caller, until another judge is set; may be NULL where nothing is kept */
    oak_judged_known *vain; /* may be NULL: `ends` is asked every time */
    oak_judged_limits limits[OAK_MOST_LIMITS];
    unsigned limit_count; /* 0: `ends` may say true whatever they are */
    oak_judged_lead leads[OAK_MOST_LEADS];
    unsigned lead_count;
} oak_judge;

/* Memory that a board has on the external bus of a chip. */
typedef struct oak_external {
    uint32_t base, size;
    bool writable;
} oak_external;

/* What handling one interrupt or exception has cost. */
typedef struct oak_service {
    uint32_t vector;
    uint64_t count;   /* how often it was entered */
    uint64_t cycles;  /* in all, of those that have ended, without what interrupted them */
    uint64_t longest; /* the longest one, in cycles */
    /* From the cycle in which the core could notice the request to the first instruction of its handler, for those of which the first is known: how many, and cycles. */
    uint64_t waits, waited, shortest_wait, longest_wait;
} oak_service;

/* How often the instruction at an address was executed, and what that took. */
typedef struct oak_tally {
    uint64_t times, cycles;
} oak_tally;

/* Every function returns OAK_OK, or OAK_OUT_OF_RANGE for what the part does not have, or OAK_UNSUPPORTED. */
typedef struct oak_chip_ops {
    /* The part this chip is: registers, spaces, pins, clock. Valid as long as the chip. */
    const struct oak_part *(*part)(void *chip);
    oak_status (*reset)(void *chip);
    /* Runs until a stop point, a fault, parked, or the first instruction boundary at which the time has reached
     * until_cycle or the count of instructions until_instruction (both absolute). A stop point at the very
     * first instruction is passed over, so that a run goes on from where it stopped. OAK_NO_MEMORY when something the
     * program has done was lost for lack of it. */
    oak_status (*run)(void *chip, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop);
    /* Register numbers are those of the part's architecture (oak_register_info). */
    oak_status (*read_register)(void *chip, unsigned reg, uint32_t *value);
    oak_status (*write_register)(void *chip, unsigned reg, uint32_t value);
    /* Reads or writes bytes of a space without side effects; a special register is read as it is stored. */
    oak_status (*read_memory)(void *chip, unsigned space, uint32_t address, uint8_t *bytes, size_t count);
    oak_status (*write_memory)(void *chip, unsigned space, uint32_t address, const uint8_t *bytes,
                               size_t count);
    /* Pins are numbered port * 32 + bit, ports in the order of the part. */
    oak_status (*read_pin)(void *chip, unsigned pin, oak_pin *state);
    oak_status (*drive_pin)(void *chip, unsigned pin, oak_level level);
    /* Puts a stop point at an address of code, or takes it away. They are not counted: on twice is on once, and off where there is none is
     * no error. A reset leaves them. OAK_OUT_OF_RANGE where execution cannot come. */
    oak_status (*set_stop)(void *chip, uint32_t address, bool on);
    oak_status (*read_time)(void *chip, oak_chip_time *time);
    /* Sets the time counters: used to go on from a stored state. */
    oak_status (*write_time)(void *chip, const oak_chip_time *time);
    /* Lets time pass in a chip that has parked, up to a cycle at which the outside changes a pin. OAK_UNSUPPORTED, or NULL:
     * no pin can wake it. */
    oak_status (*idle)(void *chip, uint64_t until_cycle);
    /* Shows a visitor what else the chip remembers: interrupts pending, timers under way. May be NULL. Special registers
     * need not be stored beside it. */
    oak_status (*visit_state)(void *chip, const oak_state_visitor *visitor);
    /* Takes what the chip has sent on a line (a serial port, counted from 0) since it was asked last, at most `room`
     * bytes. May be NULL. */
    oak_status (*take_output)(void *chip, unsigned line, uint8_t *bytes, size_t room, size_t *count);
    /* Puts the chip between its outside (NULL: nothing any more), which must stay where it is. To be called again when the
     * outside may want to act sooner than it has said. May be NULL: pins change only between runs. */
    oak_status (*attach)(void *chip, const oak_outside *outside);
    /* The vector of the interrupt or exception that is being handled, 0 in the main program. May be NULL. */
    oak_status (*served)(void *chip, uint32_t *vector);
    /* All the chip remembers, so that it can be brought back to an earlier moment: the same chip, with the same stop points. May
     * be NULL. */
    oak_status (*tape)(void *chip, oak_tape *tape);
    /* Runs end with OAK_STOP_WATCH behind an instruction that has made such an access; count 0: no more. OAK_UNSUPPORTED for
     * what cannot be watched so. May be NULL. */
    oak_status (*watch)(void *chip, const oak_watched *cells, unsigned count);
    /* Lets runs be judged, or (NULL) no longer: every instruction is slower then, whatever it reaches. OAK_OUT_OF_RANGE, or
     * OAK_UNSUPPORTED for what cannot be judged. May be NULL. */
    oak_status (*judge)(void *chip, const oak_judge *judge);
    /* From within a run, by what is outside: it ends between two instructions, as soon as it can, with OAK_STOP_USER. May be NULL. */
    void (*halt)(void *chip);
    /* What the instruction that comes next reads and writes as things stand: cells and registers, or bits of them, with the accesses it
     * makes to it. Writes at most `room` of them and returns how many. May be NULL. */
    unsigned (*touches)(void *chip, oak_watched *list, unsigned room);
    /* Tells what memory is on the external bus of a space, in place of what the part has: an access to anything else is a
     * fault. count 0: as the part has it. May be NULL. */
    oak_status (*external)(void *chip, unsigned space, const oak_external *ranges, unsigned count);
    /* Tells that something of the program's begins at an address and has so many bytes (0: not known), so that a stack that
     * grows into it is noticed. May be NULL. OAK_NO_MEMORY. */
    oak_status (*mark_object)(void *chip, unsigned space, uint32_t address, uint32_t size);
    /* When what take_output would give next had gone out: the cycle in which the stop bit of each byte begins or ends, as its flag says.
     * Takes nothing. May be NULL. */
    oak_status (*sent_at)(void *chip, unsigned line, uint64_t *cycles, size_t room, size_t *count);
    /* What handling each of them has cost since reset, by index from 0: only those that came. OAK_NOT_FOUND behind the
     * last. May be NULL. */
    oak_status (*service)(void *chip, unsigned index, oak_service *service);
    /* Counts executed instructions from now on, or no longer; on again, or a reset: from 0. A run is slower meanwhile. May be
     * NULL. OAK_NO_MEMORY. */
    oak_status (*count)(void *chip, bool on);
    /* What was counted at an address of code; OAK_UNSUPPORTED while nothing is. May be NULL. */
    oak_status (*counted)(void *chip, uint32_t address, oak_tally *tally);
} oak_chip_ops;

typedef struct oak_chip_port {
    void *chip;
    const oak_chip_ops *ops;
} oak_chip_port;

#ifdef __cplusplus
}
#endif
#endif
