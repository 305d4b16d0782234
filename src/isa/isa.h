/* isa.h — the contract between an instruction set and everything else.
 *
 * An architecture is one folder under src/isa/ with one .def table. It offers, through one oak_isa:
 *   tables      whatever it derives from its rows, built once per assembler or machine (no global state)
 *   reading     operands of a source line into oak_insn, through the front end's oak_operand_reader
 *   forms       the rows an instruction may become, shortest first
 *   encoding    one row with the values of its operands to bytes, or a refusal in the user's terms
 *   decoding    bytes to a row and its fields, and printing that as source text
 *   a core      the thing that executes
 * The front end knows no mnemonic; the instruction set knows no symbol. */
#ifndef OAK_ISA_ISA_H
#define OAK_ISA_ISA_H

#include <oakspindle/architecture.h>
#include <oakspindle/port.h>

#include "base/course.h"
#include "base/text.h"
#include "isa/service.h"

typedef struct oak_isa_tables oak_isa_tables; /* what an architecture derives from its rows; each its own */

/* ------------------------------------------------------------------------------------------ the table */

/* One row of a .def file, as it is written there. */
typedef struct oak_insn_row {
    const char *mnemonic;
    const char *operands; /* "a, rn": operand classes of the architecture, separated by ", " */
    const char *bits;     /* "0010 1nnn": fixed bits and field letters, most significant first */
    uint8_t cycles;
    const char *flags;       /* names of the flags it changes, separated by a blank */
    const char *meaning;     /* one plain sentence */
    const char *more_cycles; /* what changes the count when it runs ("when not taken"), or "" or NULL */
    /* Columns that the kit goes by (kit/rows.h). */
    uint8_t taken;    /* cycles more when it branches or skips */
    uint8_t flow;     /* oak_flow */
    const char *uses; /* what its operands are to it, and what it uses without naming it */
} oak_insn_row;

/* A bit pattern made ready: fixed bits, and where each field's pieces go. */
enum { OAK_MOST_PIECES = 8 };
typedef struct oak_pattern {
    uint64_t fixed;
    uint64_t mask; /* the bits that are fixed */
    uint8_t size;  /* bytes */
    uint8_t piece_count;
    struct oak_pattern_piece {
        char letter;
        uint8_t field_bit; /* lowest bit of the field in this piece */
        uint8_t width;
        uint8_t word_bit; /* where it lies in the word */
    } piece[OAK_MOST_PIECES];
} oak_pattern;

void oak_pattern_compile(const char *bits, oak_pattern *pattern);
/* The bits of `field` that belong to `letter`, where they lie in the word. */
uint64_t oak_pattern_put(const oak_pattern *pattern, char letter, uint32_t field);
uint32_t oak_pattern_get(const oak_pattern *pattern, char letter, uint64_t word);

/* Bits of a field. */
unsigned oak_pattern_width(const oak_pattern *pattern, char letter);

/* ------------------------------------------------------------------------------------------ assembling */

enum { OAK_MOST_OPERANDS = 6, OAK_MOST_FORMS = 12, OAK_LONGEST_INSN = 8 };

struct oak_expr; /* the front end's; opaque here */

/* A value as the front end worked it out. */
typedef struct oak_value {
    int64_t number;
    uint8_t space;    /* 0: a plain number */
    bool known;       /* false while layout has not placed what it depends on */
    const char *name; /* the symbol it came from, for messages; NULL for anything computed */
    /* A plain number that is a byte of an address, or an address counted in bytes: the space of the address, 0: none; and whether it is counted so. */
    uint8_t of;
    bool in_bytes;
} oak_value;

typedef struct oak_operand {
    uint8_t kind; /* how it was written: the architecture's own numbering */
    uint8_t reg;
    uint16_t first; /* columns in the source line, from 0; last is one past the end */
    uint16_t last;
    uint32_t extra;
    const struct oak_expr *expr; /* NULL when the operand holds none */
    bool pooled;         /* the value is kept in a pool of words; the instruction gets the word's address */
    uint32_t pool_entry; /* the front end's */
} oak_operand;

typedef struct oak_insn {
    uint16_t mnemonic; /* the architecture's number */
    uint8_t count;
    oak_operand *operand; /* room for OAK_MOST_OPERANDS while operands are read */
    /* What instructions before this one mean for it (an it block), as the architecture numbers it; 0 at the beginning. The
     * front end hands the state_after of one instruction to the next of its section. Filled in by forms. */
    uint32_t state, state_after;
    bool never_goes_on; /* execution does not go on behind it: a pool may stand there. Filled in by forms */
} oak_insn;

/* The front end's side while operands are read: text not yet taken, and its expression parser. */
typedef struct oak_operand_reader {
    const char *line; /* start of the source line */
    const char *at;
    const char *end; /* end of the operands; no comment is in them */
    /* Takes one expression at `at`; NULL after a diagnostic has been given. */
    const struct oak_expr *(*expression)(struct oak_operand_reader *reader);
    void (*refuse)(struct oak_operand_reader *reader, const char *from, const char *to, const char *code,
                   const char *hint, const char *message);
    /* Gives the refusal that follows an edit: the text that would put right what stands between from and to. */
    void (*suggest)(struct oak_operand_reader *reader, const char *from, const char *to, const char *text);
} oak_operand_reader;

/* Why an instruction cannot be encoded. */
typedef struct oak_refusal {
    const char *code;
    int operand; /* index of the operand to underline, or -1 for the whole instruction */
    char message[240];
    char hint[320]; /* may be empty */
    /* What would put it right: columns of the line from 0, and the text for them; no text: not known. */
    uint16_t edit_first, edit_last;
    bool has_edit, edit_safe;
    bool edit_word; /* the mnemonic itself is replaced; the columns are the front end's */
    char edit[48];
} oak_refusal;

/* What people write and what an architecture has for it: a letter for each operand, * for any. */
typedef struct oak_remedy {
    const char *mnemonic, *operands, *hint; /* a list ends with NULL */
} oak_remedy;
/* Puts the hint of the remedy for these operands into *why, and takes its edit back; false: there is none. `letters` are those
 * of `kinds` kinds of operands. */
bool oak_remedy_for(const oak_remedy *remedies, const char *letters, size_t kinds, const char *mnemonic,
                    unsigned count, const uint8_t *kind, oak_refusal *why);

/* ------------------------------------------------------------------------------------------ decoding */

typedef enum oak_flow {
    OAK_FLOW_NEXT, /* goes on behind itself */
    OAK_FLOW_EVENT, /* the same; what is due is looked at behind it: it reaches a device, sleeps, lets interrupts come */
    OAK_FLOW_BRANCH, /* goes on behind itself or at the target */
    OAK_FLOW_JUMP,   /* goes to the target */
    OAK_FLOW_CALL,   /* goes to the target and comes back */
    OAK_FLOW_RETURN,
    OAK_FLOW_MAY_RETURN, /* goes on behind itself, or returns */
    OAK_FLOW_COMPUTED    /* goes to an address computed when it runs */
} oak_flow;
/* What stands behind it may come next. */
static inline bool oak_goes_on(oak_flow flow)
{
    return flow == OAK_FLOW_NEXT || flow == OAK_FLOW_EVENT || flow == OAK_FLOW_BRANCH ||
           flow == OAK_FLOW_CALL || flow == OAK_FLOW_MAY_RETURN;
}
static inline bool oak_returns(oak_flow flow)
{
    return flow == OAK_FLOW_RETURN || flow == OAK_FLOW_MAY_RETURN;
}

typedef struct oak_decoded {
    uint16_t row;
    uint8_t size; /* bytes */
    uint8_t cycles;
    oak_flow flow;
    bool has_target;
    uint32_t address;
    uint32_t target;
    uint64_t word;              /* the code as its bit pattern has it, right aligned */
    uint8_t state, state_after; /* as in oak_insn */
    bool has_data;              /* it reads or points to data at `data`, which lies in the code */
    uint32_t data;
    bool may_point;     /* `data` is a number as wide as an address, and perhaps one */
    uint8_t data_bytes; /* of one value there; 0 when only the address is formed */
    bool
        oddly; /* assembled again it becomes another code: bits that mean nothing (- in its pattern) are set */
} oak_decoded;

/* Words (bytes on 8-bit parts) that an instruction puts on the stack, or takes off it when there are fewer than 0. Of those put
 * there, the first ones from the top down come from registers (space 0) or cells. */
enum { OAK_MOST_PUSHED = 16 };
typedef struct oak_stack_use {
    int words;
    unsigned named;
    struct {
        uint8_t space;
        uint32_t number;
    } from[OAK_MOST_PUSHED];
    bool sets; /* the stack begins anew: the first word goes to `first` */
    uint32_t first;
    bool partly; /* what the next instruction adds belongs to `first` */
    bool stores; /* the word `at` below the top, which there is room for, becomes what from[0] is */
    unsigned at;
} oak_stack_use;

/* What an exception puts on the stack where return addresses are kept in a link register: the registers in ascending order of
 * addresses. A link of returns_from or above returns from one. One word more was skipped where that bit of the last is set. */
typedef struct oak_exception_frame {
    uint32_t returns_from;
    uint8_t link_register, words, link_word, pc_word, skipped_bit;
    bool elsewhere; /* an exception puts nothing there: a register tells where it came from */
    uint8_t registers[8];
    const char *came_from; /* that register, as an expression of what the handler returns to: "lr - 4" */
} oak_exception_frame;

/* What an instruction does with a pointer that is loaded byte by byte. */
typedef struct oak_pointing {
    uint8_t pointer;            /* its number, from 0 */
    bool loads, high;           /* it loads the low or the high byte with its last operand */
    bool goes;                  /* or goes by it, */
    uint8_t space;              /* to a space, */
    bool counts_code, in_bytes; /* of code, which is counted in bytes there, or in units */
    const char *name, *instead; /* the pointer; a remedy for one of another space */
} oak_pointing;

/* What an instruction does to what loops count by, as far as it can be known without running it. A place is a register (space 0) or a cell. */
typedef struct oak_place {
    uint8_t space;
    uint32_t number;
} oak_place;
typedef enum oak_effect_kind {
    OAK_EFFECT_OTHER,
    OAK_EFFECT_LOADS,  /* `to` holds `value` */
    OAK_EFFECT_COPIES, /* `to` holds what `from` holds */
    OAK_EFFECT_ADDS,   /* `to` holds `value` more, of 8 bits */
    OAK_EFFECT_ASKS    /* it looks at the zero flag */
} oak_effect_kind;
typedef enum oak_effect_goes {
    OAK_GOES_UNKNOWN,  /* a branch on something else; or no branch */
    OAK_GOES_ZERO,     /* it branches when what it has made, or the flag, is zero */
    OAK_GOES_NOT_ZERO, /* or when it is not */
    OAK_GOES_NOWHERE   /* it does not branch, and sets the zero flag by what it has made */
} oak_effect_goes;
enum { OAK_MOST_EFFECTS = 12 };
typedef struct oak_effect {
    uint8_t does, goes, taken; /* taken: cycles more when it branches */
    bool to_part;              /* the number of `to` is only a part of an address */
    bool zero;                 /* it writes the zero flag */
    int32_t value;
    oak_place to, from;
    oak_place writes[OAK_MOST_EFFECTS]; /* all places that it writes */
    bool part[OAK_MOST_EFFECTS];
    unsigned write_count;
    bool writes_anything; /* and some that nobody knows */
} oak_effect;

/* Gives names to addresses when instructions are printed; returns NULL where there is none. */
typedef struct oak_namer {
    void *context;
    const char *(*name)(void *context, unsigned space, uint32_t address);
    /* Completes an address that an instruction gives only in part; false where nobody knows the rest. NULL: as it stands. */
    bool (*whole)(void *context, unsigned space, uint32_t *address);
} oak_namer;

/* What code has selected that completes such addresses, bit by bit: it may be 0, may be 1, may be as it was when the routine was
 * called (selection.h). */
typedef struct oak_selected {
    uint32_t zero, one, entry;
} oak_selected;
#define OAK_SELECTED_ANY ((oak_selected){~(uint32_t)0, ~(uint32_t)0, 0})
/* Sets the bits of a mask. */
static inline void oak_select(oak_selected *now, uint32_t mask, uint32_t bits)
{
    now->zero = (now->zero & ~mask) | (mask & ~bits), now->one = (now->one & ~mask) | (mask & bits);
    now->entry &= ~mask;
}
/* Nobody knows the bits of a mask any more. */
static inline void oak_select_any(oak_selected *now, uint32_t mask)
{
    now->zero |= mask, now->one |= mask, now->entry &= ~mask;
}
/* An instruction of the directives `bank` and `page`: it is left out where bits of what is selected are known to be right already. */
typedef struct oak_select_step {
    uint8_t space;    /* of addresses that it selects for */
    uint32_t mask;    /* what it sets of what is selected */
    uint32_t address; /* the bit of the address that decides */
    const char *line; /* as in a source */
    bool one;         /* it stands where that bit is 1; others where it is 0 */
    uint8_t
        shift; /* not 0: it takes all bits of the mask as its operand, which are those of the address so much further down */
} oak_select_step;
/* What an operand names that is completed so. */
typedef struct oak_selected_operand {
    unsigned space;
    bool part;   /* the instruction holds only a part of the address */
    bool writes; /* it stores there; or, without an operand, to a register that it does not name */
} oak_selected_operand;
typedef struct oak_selector {
    uint32_t at_reset; /* bits that are 0 after a reset */
    const oak_select_step *steps;
    unsigned step_count;
    void (*follow)(const oak_isa_tables *tables, const oak_decoded *decoded, oak_selected *now);
    /* Completes an address of a space; false where what is missing is not known. */
    bool (*whole)(const oak_selected *now, unsigned space, uint32_t *address);
    /* Reached whatever is selected. NULL: `whole` knows. */
    bool (*anywhere)(unsigned space, uint32_t address);
    /* The operand of a row that names a register, or is completed so; -1 where none is. */
    int (*operand)(const oak_isa_tables *tables, unsigned row, oak_selected_operand *what);
    uint32_t pointed; /* home of the register that stands for what a pointer names */
    /* The block of so many addresses that a jump leads into which counts from where it stands; OAK_NOT_FOUND where that is not
     * known, OAK_UNSUPPORTED for other jumps. */
    oak_status (*computed)(const oak_decoded *decoded, const oak_selected *now, uint32_t *at);
    uint32_t block;
    /* The same address for all that stand for one place. */
    uint32_t (*home)(unsigned space, uint32_t address);
} oak_selector;

/* ------------------------------------------------------------------------------------------ executing */

enum { OAK_MOST_SPACES = 12 };

/* Memory a core is created with. */
typedef struct oak_core_memory {
    uint8_t space;
    bool writable;
    uint32_t base;
    uint32_t size;
} oak_core_memory;

/* The machine's side of special function registers: which exist, which have a device behind them. */
typedef enum oak_cell_kind { OAK_CELL_ABSENT, OAK_CELL_PLAIN, OAK_CELL_DEVICE } oak_cell_kind;
typedef struct oak_core_setup {
    const oak_host *host;
    const oak_core_memory *memories;
    unsigned memory_count;
    void *machine;
    oak_cell_kind (*cell_kind)(void *machine, unsigned space, uint32_t address);
    /* The value a reading instruction sees at the cycle `now`; `stored` is the register as it was last written, and `latch`
     * tells that the instruction reads, changes and writes back, so that a port gives its latch. `asked`: the bits it looks at; 0: no instruction reads, somebody looks on. */
    uint32_t (*device_read)(void *machine, unsigned space, uint32_t address, uint32_t stored, bool latch,
                            uint32_t asked, uint64_t now);
    void (*device_write)(void *machine, unsigned space, uint32_t address, uint32_t value, uint64_t now);
    /* The interrupt of a line is being served; returns the cycle at which a device does something next. */
    uint64_t (*acknowledge)(void *machine, unsigned line, uint64_t now);
    /* The program does what a chip would suffer silently. True: the run is to end here with that fault. */
    bool (*suffer)(void *machine, oak_fault fault, unsigned space, uint32_t address, uint64_t now);
    /* The bus beyond the memories, for cores whose registers lie in their one space: `bytes` is 1, 2 or 4, `now` the cycle
     * of the access. OAK_OUT_OF_RANGE where nothing is. */
    oak_status (*bus_read)(void *machine, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value);
    oak_status (*bus_write)(void *machine, uint32_t address, unsigned bytes, uint32_t value, uint64_t now);
    /* Brings every device to `now`; the cycle at which one of them does something next by itself, UINT64_MAX for never. */
    uint64_t (*advance)(void *machine, uint64_t now);
    /* The cycle at which a device will reset the chip if nothing is done about it, UINT64_MAX for never. */
    uint64_t (*resets_at)(void *machine);
    /* The chip resets itself: a request by the program, or a watchdog. */
    void (*reset_devices)(void *machine);
    /* Registers of devices that lie in the core's one space, as they are stored: nothing happens. */
    oak_status (*look)(void *machine, unsigned space, uint32_t address, uint8_t *bytes, size_t count);
    /* How such a register, or one in a space of special ones, goes on from now on, as long as `touched` stands: something may have changed it when that is
     * another number. OAK_UNSUPPORTED where nobody knows. */
    oak_status (*course)(void *machine, unsigned space, uint32_t address, size_t count, oak_course *course);
    const uint64_t *touched;
    uint64_t *known; /* the core may set this to a cycle: 0 again whenever `touched` goes on */
    /* The pins of a port that are not low, a bit each; `course` says how they go on, as of space 0. */
    uint32_t (*pins)(void *machine, unsigned port);
    /* What a core must know of its part. */
    unsigned interrupt_count, priority_bits;
    /* Somebody outside will still change pins by himself. */
    bool (*outside_acts)(void *machine);
    /* Clocks of devices stand still from now on, a bit each: that of most, the slow one. Optional. */
    void (*clocks)(void *machine, unsigned stopped, uint64_t now);
    uint32_t lines; /* on which a device can ask, a bit each, of the first 32 */
} oak_core_setup;

typedef struct oak_core oak_core; /* each architecture's own */

typedef struct oak_core_ops {
    oak_status (*create)(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core);
    void (*destroy)(oak_core *core);
    void (*reset)(oak_core *core);
    /* Programs `count` bytes of code memory; bytes never programmed stay unknown. */
    oak_status (*program)(oak_core *core, uint32_t address, const uint8_t *bytes, size_t count);
    /* As the chip port's run. */
    void (*run)(oak_core *core, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop);
    oak_status (*read_register)(const oak_core *core, unsigned reg, uint32_t *value);
    oak_status (*write_register)(oak_core *core, unsigned reg, uint32_t value);
    oak_status (*read_memory)(const oak_core *core, unsigned space, uint32_t address, uint8_t *bytes,
                              size_t count);
    oak_status (*write_memory)(oak_core *core, unsigned space, uint32_t address, const uint8_t *bytes,
                               size_t count);
    oak_status (*set_stop)(oak_core *core, uint32_t address, bool on);
    oak_chip_time *(*time)(oak_core *core);
    /* These may be NULL. A device's interrupt line rises or falls; a rise can be noticed from the cycle `from` on. */
    void (*interrupt)(oak_core *core, unsigned line, bool level, uint64_t from);
    /* Something has changed that may bring the next event of a device nearer. */
    void (*attend)(oak_core *core);
    /* As the chip port's halt. */
    void (*halt)(oak_core *core);
    /* Lets time pass in a core that has parked or sleeps. */
    void (*idle)(oak_core *core, uint64_t until_cycle);
    /* Bytes of code memory that are data: to execute them is a fault. */
    void (*mark_data)(oak_core *core, uint32_t address, uint32_t count);
    /* Reading memory that was never written since reset becomes a fault. */
    oak_status (*check_reads)(oak_core *core, bool on);
    /* As the chip port's visit_state, for the core's own. */
    void (*visit)(oak_core *core, const oak_state_visitor *visitor);
    /* A device reports a fault: ends the run with it, or resets the chip, or first the one and then the other. */
    void (*strike)(oak_core *core, const oak_notice *notice, bool ends_run, bool resets);
    /* The number and handler of the exception being handled, 0 in the main program. */
    unsigned (*exception)(const oak_core *core);
    /* The address of the instruction under way, or the next one, also while it reaches for a device. */
    uint32_t (*place)(const oak_core *core);
    /* As the chip port's tape, for the core's own. */
    void (*tape)(oak_core *core, oak_tape *tape);
    /* What handling exceptions has cost since reset, by the same numbers. */
    oak_service_log *(*services)(oak_core *core);
    /* As the chip port's watch, judge and touches. */
    oak_status (*watch)(oak_core *core, const oak_watched *cells, unsigned count);
    oak_status (*judge)(oak_core *core, const oak_judge *judge);
    unsigned (*touches)(oak_core *core, oak_watched *list, unsigned room);
    /* How a register of its own in memory goes on by time alone (base/course.h); OAK_UNSUPPORTED where nobody knows. Who judges forgets it
     * where something else changes it (oak_judged_forget). */
    oak_status (*course)(const oak_core *core, unsigned space, uint32_t address, size_t count,
                         oak_course *course);
    /* What is on the external bus of a space: only that from now on; none: what the part has. */
    oak_status (*external)(oak_core *core, unsigned space, const oak_external *ranges, unsigned count);
    /* As the chip port's mark_object. */
    oak_status (*mark_object)(oak_core *core, unsigned space, uint32_t address, uint32_t size);
    /* A reset leads to this address from now on. Of architectures that say `enters`. */
    void (*begins)(oak_core *core, uint32_t address);
    /* As the chip port's count and counted. */
    oak_status (*count)(oak_core *core, bool on);
    oak_status (*counted)(const oak_core *core, uint32_t address, oak_tally *tally);
    /* The core stands still for so many cycles, from the end of the instruction under way. */
    void (*stall)(oak_core *core, uint32_t cycles);
} oak_core_ops;

/* Adds to a list of what an instruction touches; what is there already only gets the accesses. Returns the new count. */
unsigned oak_touch(oak_watched *list, unsigned count, unsigned room, const oak_watched *one);

/* ------------------------------------------------------------------------------------------ the whole */

/* Kinds of instructions that the trade has many words for. */
typedef enum oak_trade {
    OAK_TRADE_NONE,
    OAK_TRADE_COMPARE,
    OAK_TRADE_TEST,
    OAK_TRADE_SLEEP,
    OAK_TRADE_LOAD,
    OAK_TRADE_STORE,
    OAK_TRADE_XOR,
    OAK_TRADE_OR,
    OAK_TRADE_AND,
    OAK_TRADE_NOT,
    OAK_TRADE_NEGATE,
    OAK_TRADE_SUBTRACT,
    OAK_TRADE_ADD,
    OAK_TRADE_INCREMENT,
    OAK_TRADE_DECREMENT,
    OAK_TRADE_JUMP,
    OAK_TRADE_IF_EQUAL,
    OAK_TRADE_IF_DIFFERENT,
    OAK_TRADE_IF_CARRY,
    OAK_TRADE_IF_NO_CARRY,
    OAK_TRADE_IF_ORDERED,
    OAK_TRADE_IF_SIGN,
    OAK_TRADE_CALL,
    OAK_TRADE_RETURN,
    OAK_TRADE_RETURN_FROM_INTERRUPT,
    OAK_TRADE_SHIFT_LEFT,
    OAK_TRADE_SHIFT_RIGHT,
    OAK_TRADE_SET_BIT,
    OAK_TRADE_CLEAR_BIT,
    OAK_TRADE_TOGGLE_BIT,
    OAK_TRADE_IF_BIT,
    OAK_TRADE_INTERRUPTS_ON,
    OAK_TRADE_INTERRUPTS_OFF,
    OAK_TRADE_EXCHANGE,
    OAK_TRADE_PUSH,
    OAK_TRADE_POP,
    OAK_TRADE_MULTIPLY,
    OAK_TRADE_DIVIDE,
    OAK_TRADE_LOOP,
    OAK_TRADE_TABLE,
    OAK_TRADE_PORT,
    OAK_TRADE_SOFTWARE_INTERRUPT,
    OAK_TRADE_REGISTER_VALUE, /* a register where a value belongs; no word */
    OAK_TRADE_FLOAT,
    OAK_TRADE_REGISTER_ADDRESS,
    OAK_TRADE_HIGH_REGISTER,
    OAK_TRADE_REGISTER_BIT,
    OAK_TRADE_OTHER_REGISTER,
    OAK_TRADES
} oak_trade;

/* A code of messages: what it means (NULL: what it means everywhere), a wrong and a right line, which may be empty. */
typedef struct oak_message {
    const char *code, *meaning, *wrong, *right; /* a list ends with NULL */
} oak_message;

typedef struct oak_copier {
    uint8_t space;
    const char *line[14];
} oak_copier;

typedef struct oak_isa {
    oak_architecture about;
    const oak_insn_row *rows;
    unsigned row_count;
    oak_status (*open)(const oak_host *host, oak_isa_tables **tables);
    void (*close)(const oak_host *host, oak_isa_tables *tables);

    /* The number of a mnemonic written with `length` letters, or -1. */
    int (*mnemonic)(const oak_isa_tables *tables, const char *text, size_t length);
    /* The mnemonics, for suggestions, counted from 0; NULL after the last. */
    const char *(*mnemonic_name)(const oak_isa_tables *tables, unsigned number);
    /* True when a row is a form of a mnemonic; NULL where rows are compared by their names. */
    bool (*names_row)(const oak_isa_tables *tables, unsigned mnemonic, unsigned row);
    /* The state (see oak_insn) that a value of about.state_register holds; NULL where there is no state. */
    uint32_t (*state_of)(uint32_t value);
    /* Names that can be no symbol because they are registers. */
    bool (*is_register)(const oak_isa_tables *tables, const char *text, size_t length);
    /* Takes all operands; OAK_REFUSED after a diagnostic. The caller has set insn->mnemonic. */
    oak_status (*read_operands)(const oak_isa_tables *tables, oak_operand_reader *reader, oak_insn *insn);
    /* The rows the instruction may become, shortest first, at most OAK_MOST_FORMS; 0 with *why filled in. */
    unsigned (*forms)(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why);
    unsigned (*size)(const oak_isa_tables *tables, unsigned row);
    /* Encodes; values[i] belongs to operand i and is known. OAK_REFUSED with *why filled in when the row cannot hold
     * a value. */
    oak_status (*encode)(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                         const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why);
    /* What looks wrong though it can be encoded: true with *why filled in. `decimal` has a bit for each operand that is
     * written as a plain decimal number. NULL where there is nothing to doubt. */
    bool (*doubt)(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why);
    /* Of an architecture with short codes, of fewer bytes than this: `compress off` passes them over. Does what is read back become the same code,
     * with them or without? Both 0 or NULL elsewhere. */
    uint8_t full_size;
    bool (*comes_back)(const oak_isa_tables *tables, const oak_decoded *decoded, bool full);
    /* The address of bit `bit` of the cell at `cell`; OAK_REFUSED when the cell has no bit addresses. */
    oak_status (*bit_of)(const oak_value *cell, int64_t bit, oak_value *result);

    /* Where execution goes from an instruction that has just been encoded in the state it stands in; and the operand that is its target,
     * or -1. */
    oak_flow (*flow_of)(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state);
    int (*target_of)(const oak_isa_tables *tables, unsigned row);
    void (*pointing)(const oak_isa_tables *tables, const oak_decoded *decoded,
                     oak_pointing *what); /* NULL: no such pointers */
    const oak_selector *selector;         /* NULL where instructions give addresses whole */
    unsigned skips;                       /* units that a branch without a target skips */
    /* Decodes one instruction; OAK_REFUSED for a reserved code, OAK_OUT_OF_RANGE when `available` bytes are too few. */
    oak_status (*decode)(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                         uint32_t address, uint32_t state, oak_decoded *decoded);
    void (*print)(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
                  oak_buf *out);
    /* Says what the values of a decoded instruction are that lie behind its first word (or byte), a line each. NULL: it has none. */
    void (*tell_fields)(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
                        oak_buf *out);
    /* The address that an instruction forms together with the one before it. NULL: none do. */
    bool (*together)(const oak_isa_tables *tables, const oak_decoded *before, const oak_decoded *decoded,
                     uint32_t *address);
    unsigned
        pattern_unit; /* bytes of a pattern that lie in memory with the lowest first, all where it has no more; 0 or 1: as the pattern has them */

    /* The counter that an instruction counts down and branches on, or (*loads_zero) sets to zero: a number above 0 for each,
     * 0 for other instructions. NULL where there are no such instructions. */
    unsigned (*counter_of)(const oak_isa_tables *tables, const oak_decoded *decoded, bool *loads_zero);
    /* What an instruction does to what loops count by. NULL where nobody knows. */
    void (*effect)(const oak_isa_tables *tables, const oak_decoded *decoded, oak_effect *effect);
    /* What an instruction does to the stack. NULL where nobody knows. */
    void (*stack_use)(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use);
    const oak_exception_frame *frame; /* NULL: there is no link register */
    /* What fills a vector: the instruction that jumps to the handler, or, where that is NULL, the handler's address in
     * about.vector_bytes bytes with about.code_bit set. */
    const char *vector_mnemonic;
    const char *call_mnemonic; /* that of a call to any place in the first memory of code */
    /* How a program copies `copied_bytes` bytes of code memory from `copied_from` on to `copied_to` in a space: lines of source, each list up to
     * NULL, up to one without a space. NULL: nothing does. */
    const oak_copier *copiers;
    bool
        manual_marks; /* as its manual writes: a comma may stand behind a label, and a slash behind a blank begins a remark */
    const char *plain_return; /* the return that does not end an interrupt; NULL where one return does both */
    /* What it has for each kind of instruction, as a sentence of remedy, by oak_trade; NULL where there is nothing like it. */
    const char *const *trade;
    const oak_message *messages; /* examples in its own words, and codes that are its own */

    /* A register of the part that the core resets itself, beside those of about.cells. NULL: there is no other. */
    bool (*own_register)(unsigned space, uint32_t address);

    const oak_core_ops *core;
} oak_isa;

extern const oak_isa *const oak_isa_list[]; /* list.c; up to NULL */
/* Finds the instruction set of an architecture, or NULL. */
const oak_isa *oak_isa_find(const char *name);
/* All of them, from 0; NULL after the last. */
const oak_isa *oak_isa_at(unsigned index);

/* How much of the operands of a row people see: what stands behind a ; is filled in from them. */
static inline size_t oak_shown_operands(const oak_insn_row *row)
{
    size_t length = 0;
    while (row->operands[length] && row->operands[length] != ';') length++;
    return length;
}

/* A code of `size` bytes from its pattern to memory, and back. */
void oak_lay_down(const oak_isa *isa, uint64_t word, unsigned size, uint8_t *bytes);
uint64_t oak_gather(const oak_isa *isa, const uint8_t *bytes, unsigned size);

#endif
