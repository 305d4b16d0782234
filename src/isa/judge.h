/* judge.h — the values of a judge (see the chip port), as a core keeps them: looked at behind every instruction, in a form of the loop
 * made for it. A core without a judge pays nothing. */
#ifndef OAK_ISA_JUDGE_H
#define OAK_ISA_JUDGE_H

#include "base/bytes.h"
#include "isa/isa.h"

/* Where one value is kept. */
typedef enum oak_judged_kind {
    OAK_JUDGED_ASKED,    /* it is asked for, */
    OAK_JUDGED_PC,       /* as the program counter, */
    OAK_JUDGED_REGISTER, /* as a register, */
    OAK_JUDGED_STATUS,   /* or as the one with the flags; */
    OAK_JUDGED_HANDLER,  /* it is the vector of what is handled, */
    OAK_JUDGED_MADE,     /* what who judges works out, */
    OAK_JUDGED_WRITTEN,  /* or another number after each write */
    OAK_JUDGED_BANKED,   /* a byte, in the bank that is selected */
    OAK_JUDGED_BYTE,
    OAK_JUDGED_HALF, /* as the host has numbers */
    OAK_JUDGED_WORD,
    OAK_JUDGED_LOW_FIRST, /* so many bytes */
    OAK_JUDGED_HIGH_FIRST
} oak_judged_kind;
typedef struct oak_judged_value {
    const uint8_t *at, *bank; /* `bank`: where the number of the selected one lies, */
    uint8_t bank_bits;        /* in these bits, which are the distance from the first one */
    uint8_t kind, bytes;
    bool reads_on; /* so many bytes as a word has may be read there */
    uint32_t mask;
    oak_watched cells;
    oak_course
        course; /* of what is asked for: until when it need not be asked for again, as long as nothing is touched */
    uint64_t touched;
    uint32_t word; /* as it was */
    uint32_t base,
        flips; /* it is base + (cycle ^ flips) in the bits `shows`, where these are not 0: it goes on by 1 with every cycle */
    uint32_t shows;
} oak_judged_value;

/* The same as it is looked at behind an instruction that changes more than counters. */
typedef enum oak_judged_quick_kind {
    OAK_QUICK_BYTE,
    OAK_QUICK_COUNTS, /* oak_judged_moved, */
    OAK_QUICK_STAYS,  /* likewise */
    OAK_QUICK_PC,
    OAK_QUICK_HALF,
    OAK_QUICK_WORD,
    OAK_QUICK_BANKED,
    OAK_QUICK_COURSE, /* as its course says: in rows that are completed */
    OAK_QUICK_STATUS,
    OAK_QUICK_LIES,                  /* as oak_judged_lies says */
    OAK_QUICK_CALLS,                 /* it depends on what has changed before it */
    OAK_QUICK_PLACE = OAK_QUICK_LIES /* these may ask where execution is */
} oak_judged_quick_kind;
typedef struct oak_judged_quick {
    const uint8_t *at, *bank;
    uint32_t *column; /* in the rows; NULL: it is not kept */
    uint32_t mask, base, flips;
    uint32_t moves; /* what is asked for: base + ((cycle ^ flips) & moves) */
    uint8_t kind, bank_bits, number;
    uint8_t shift;  /* of what is put down as a word */
    uint64_t times; /* in what has limits */
} oak_judged_quick;

/* What is judged most often is looked at in a shorter way. */
typedef enum oak_judged_way {
    OAK_WAY_ANY,
    OAK_WAY_QUICK,      /* values that are all only kept, as oak_judged_quick; none calls */
    OAK_WAY_QUICK_ASKS, /* or all only asked about */
    OAK_WAY_OUTSIDE,    /* and the sums of some were outside all limits the last time */
    OAK_WAY_PC_ASKS,    /* or a single one */
    OAK_WAY_LIES_ASKS   /* and nothing else changes it than instructions */
} oak_judged_way;
/* One step, as a function that goes on to the next one. */
typedef struct oak_judged_stride oak_judged_stride;
typedef struct oak_judged_walk {
    const struct oak_judged *judged;
    const oak_core *core;
    uint32_t now;
    uint64_t kept[OAK_MOST_KEPT];
} oak_judged_walk;
struct oak_judged_stride {
    uint64_t (*go)(const oak_judged_stride *one, oak_judged_walk *with, uint64_t left);
    const uint8_t *at, *bank;
    uint64_t number; /* or which one */
    uint32_t mask;
    uint8_t shift, bank_bits;
};
enum oak_judged_need {
    OAK_NEEDS_TIME = 1,  /* it is asked for: what is known of it may be too old */
    OAK_NEEDS_PLACE = 2, /* the program counter */
    OAK_NEEDS_FLAGS = 4, /* what registers do not lie there for */
    OAK_NEEDS_BANK = 8,  /* see oak_judged_plain */
    OAK_NEEDS_ONE = 16,  /* it is one word, or one of these, and put down only where it is another one */
    OAK_NEEDS_LED = 32,  /* something is led to, see oak_judged_is_led_as_before */
    OAK_NEEDS_BEFORE = OAK_NEEDS_PLACE | OAK_NEEDS_FLAGS | OAK_NEEDS_ONE | OAK_NEEDS_LED
};
typedef struct oak_judged_asked {
    const oak_judged_quick *quick; /* NULL: nothing */
    uint64_t times;
} oak_judged_asked;
/* What is put down in rows one by one, or summed: words, bytes, bytes of banks and others; and of sums two words
 * that are always read, before, the first one that is asked for, and more of these behind. A word may have other bits than those of its value: they are masked where they are summed, or in
 * rows when these are completed. */
enum { OAK_FIRST_READS = 2 };
typedef struct oak_judged_reads {
    oak_judged_quick first[OAK_FIRST_READS];
    oak_judged_asked counts;
    bool has_more;  /* than these */
    uint32_t which; /* all of them: a bit each */
    const oak_judged_quick *words_end, *bytes_end, *banked_end, *end;
    const oak_judged_asked *asked_end;
    oak_judged_limits limits; /* with steps in place of a sum, at times */
    oak_judged_stride strides[OAK_MOST_STEPS + 1];
    oak_judged_quick at[OAK_MOST_JUDGED];
    oak_judged_asked asked[OAK_MOST_JUDGED];
} oak_judged_reads;
/* The usual case of what is put down: two words, or one, or nothing but what is asked for. */
enum { OAK_MOST_PLAIN = 4 };
typedef struct oak_judged_plain {
    oak_judged_rows *rows; /* NULL: it is not, but may be `wide`: so many as these */
    const uint8_t *at[OAK_MOST_PLAIN];
    uint32_t *column[OAK_MOST_PLAIN];
    oak_judged_rows *wide, *bytes;  /* or two bytes, that are read as such: they were written just now */
    const oak_judged_quick *banked; /* the last one is a byte of a bank */
    const uint8_t **banked_at;
} oak_judged_plain;
/* The same of what is led to, with the stretch of memory as it lies in the host's: the last one, and the one before, */
typedef struct oak_judged_stretch {
    uint32_t first, count;
    const uint8_t *
        at; /* of the bytes, of which a value may begin at so many, and at so many is read as a word; NULL: there are none */
    uint64_t starts, words;
    uint64_t number; /* less than where it leads to */
} oak_judged_stretch;
typedef struct oak_judged_led {
    oak_judged_lead lead;
    uint32_t bytes;
    bool low_first;
    bool by_words; /* all that it is a sum of is read as words */
    oak_judged_stretch last, before;
    uint32_t mask; /* of such a word */
    const uint8_t *by[OAK_MOST_LED_BY];
    uint32_t by_mask[OAK_MOST_LED_BY];
    uint64_t times[OAK_MOST_LED_BY]; /* in bytes */
} oak_judged_led;
typedef struct oak_judged {
    /* As oak_judged_look in a loop: so much has passed, instructions in the upper half and cycles in the lower one, that its time does not say yet. */
    bool (*behind)(struct oak_judged *judged, oak_core *core, unsigned which, uint64_t passed);
    oak_judge judge; /* but for its lists, which have gone */
    const oak_isa *isa;
    oak_status (*read)(const oak_core *core, unsigned reg, uint32_t *value);
    uint32_t (*status)(const oak_core *core);
    oak_status (*look)(void *machine, unsigned space, uint32_t address, uint8_t *bytes,
                       size_t count); /* of the setup, as is */
    oak_status (*course)(void *machine, unsigned space, uint32_t address, size_t count, oak_course *course);
    const uint64_t *touched;
    uint32_t (*pins)(void *machine, unsigned port);
    void *machine;
    oak_chip_time *time; /* of the core */
    uint8_t way;         /* oak_judged_way; and what it is but for the limits */
    uint8_t usual_way;
    bool has_flags;       /* what is put down, or summed, is not only registers that lie there, and cells */
    bool is_one;          /* it is a word alone */
    uint8_t needs;        /* of oak_judged_need: before it is */
    bool needs_place;     /* the core's program counter is to be up to date when values are looked at */
    bool hit;             /* it has said that the run ends */
    unsigned count;       /* of values; 0: nobody judges */
    uint32_t all, matter; /* a bit for each; those that decide for now */
    uint32_t heavy;       /* those that depend on the time, or are read as a register */
    uint32_t lie;         /* those that only instructions change */
    uint32_t stretches;   /* those that are only written to */
    uint32_t goes, places,
        made; /* those that change only where an instruction does not simply go on, where a place is left, or where another has */
    uint32_t
        asked; /* those that are asked for: as long as `touched` is this, they all stay before the cycle `still`, */
    uint64_t still, touched_then, settled; /* which was worked out at `settled` */
    uint32_t pc;            /* of the next instruction: set by a loop where the program counter is judged */
    unsigned missed;        /* so often on end the values were new ones */
    unsigned pause, passed; /* so many more looks pass before it is worked out again how long they stay */
    uint64_t *known;        /* before this cycle `quick` says all: of the setup, or */
    uint64_t *known_outside, always;         /* where nothing is asked for */
    oak_judged_quick quick[OAK_MOST_JUDGED]; /* of each value */
    uint32_t raw;                    /* what rows have more bits of than it has, until they are complete */
    uint32_t words, notes;           /* those that are put down as words, and of these `noted`: a bit each */
    uint32_t noted[OAK_MOST_JUDGED]; /* those of them that lie nowhere by themselves: */
    const oak_judged_quick *to_note[OAK_MOST_JUDGED], **noted_end;
    uint32_t led;  /* those that are led to, and whether they are: a bit each */
    bool led_lost; /* to somewhere else, the last time */
    oak_judged_led leads[OAK_MOST_LEADS], *leads_end;
    uint8_t *(*cells)(const oak_core *core, unsigned space, uint32_t address, size_t count);
    uint32_t *flags;                 /* if it is only one of them, the one with these */
    uint32_t spare[OAK_JUDGED_ROWS]; /* a column of nothing */
    bool has_others;                 /* sums behind the first */
    oak_judged_plain plain;
    oak_judged_reads put, sums[OAK_MOST_LIMITS];
    const oak_judged_reads *sums_end; /* NULL: there are no limits */
    oak_judged_walk walk;             /* what their steps need */
    oak_judged_value value[OAK_MOST_JUDGED];
    uint32_t last[OAK_MOST_JUDGED];
} oak_judged;
enum { OAK_JUDGED_ALL = (1 << OAK_MOST_JUDGED) - 1 };
_Static_assert(OAK_MOST_JUDGED <= 16, "each of them has a bit");

/* Takes a judge, or (NULL) takes leave of one; oak_judged_at then says where values are kept. OAK_OUT_OF_RANGE for what cannot be read. */
OAK_MUST_USE oak_status oak_judged_set(oak_judged *judged, const oak_isa *isa, const oak_core_setup *setup,
                                       oak_core *core, const oak_judge *judge);
/* A value lies here, in a register of the host or as cells of memory; so many bytes may be read from there on. */
void oak_judged_at(oak_judged *judged, unsigned number, const void *at, unsigned bytes, bool host,
                   size_t readable);
/* It is a byte of one of several banks. */
void oak_judged_in_bank(oak_judged *judged, unsigned number, const uint8_t *first, const uint8_t *bank,
                        uint8_t bits, bool reads_on);
/* It is the register with the flags, which can be had by itself. */
void oak_judged_by(oak_judged *judged, unsigned number, uint32_t (*status)(const oak_core *core));
/* Those of `goes` that the instruction at an address may change, which may change others (a bit each). */
uint32_t oak_judged_goes(const oak_judged *judged, uint32_t others, oak_flow flow, uint32_t address);
/* When all have their places: whether a single one can be looked at in a shorter way. */
void oak_judged_placed(oak_judged *judged, bool is_pc, bool is_restless);
/* What the values are now is what they are compared with. */
void oak_judged_begin(oak_judged *judged, oak_core *core);
/* Takes all values as they are, also those that have not decided. */
void oak_judged_take(oak_judged *judged, oak_core *core);

/* Courses are not relied on: the core may have changed a bit of its own in a register of a device, as on the way into a handler. */
static inline void oak_judged_forget(oak_judged *judged)
{
    for (unsigned i = 0; i < judged->count; i++) judged->value[i].course.until = 0;
    judged->still = 0;
    if (judged->count) *judged->known = 0;
}

/* None of these values (a bit each) can have changed: all of them are registers of devices that stand still. */
static inline bool oak_judged_stands(const oak_judged *judged, unsigned which, uint64_t now)
{
    return !(which & judged->lie) && now < judged->still && judged->touched_then == *judged->touched;
}

/* An instruction has passed that may have changed these values (a bit each): true when the run is to end here. */
bool oak_judged_look(oak_judged *judged, oak_core *core, unsigned which);
/* Who judges is asked, with the values as they were taken: true when the run is to end here. */
bool oak_judged_ask(oak_judged *judged, oak_core *core, uint64_t passed);
/* A value as it is now: of what is a byte or a word of the host, or a register that is read, or of all else. */
uint32_t oak_judged_else(const oak_judged *judged, oak_core *core, oak_judged_value *value);
/* Is it a value beside registers and memory? */
static inline bool oak_judged_is_special(const oak_watched *cells)
{
    return !cells->space && cells->address >= OAK_JUDGED_TIME;
}
/* Is it only told that it was written? */
static inline bool oak_judged_is_stretch(const oak_watched *cells)
{
    return cells->space && cells->accesses == OAK_ACCESS_WRITE;
}
static inline uint32_t oak_judged_now(const oak_judged *judged, oak_core *core, oak_judged_value *value)
{
    uint32_t word = 0;
    if (value->kind == OAK_JUDGED_BYTE) word = *value->at;
    else if (value->kind == OAK_JUDGED_WORD) memcpy(&word, value->at, sizeof word);
    else if (value->kind == OAK_JUDGED_STATUS) word = judged->status(core);
    else if (value->kind == OAK_JUDGED_REGISTER)
        (void)!judged->read(core, value->cells.address, &word); /* it could be read when it was set */
    else word = oak_judged_else(judged, core, value);
    return word & value->mask;
}

/* `quick` says all that is asked for. */
static inline bool oak_judged_knows(const oak_judged *judged, uint64_t now)
{
    return now < *judged->known;
}
/* It may pay again to say how long what is asked for stays as it is, where nothing else can have changed. */
static inline bool oak_judged_tries(oak_judged *judged)
{
    return judged->passed < 2 || !judged->passed--;
}

/* Of what does not depend on the time, and nobody works out. */
uint32_t oak_judged_lies(const oak_judged *judged, const oak_core *core, unsigned number);

/* What is asked for has come to this: not where its course is another one (OAK_QUICK_COURSE). */
static inline uint32_t oak_judged_moved(const oak_judged_quick *quick, uint32_t now)
{
    return quick->base + ((now ^ quick->flips) & quick->moves);
}
static inline uint32_t oak_judged_quick_word(const oak_judged *judged, const oak_core *core,
                                             const oak_judged_quick *quick, uint32_t now)
{
    uint32_t word = 0;
    uint16_t half;
    if (quick->kind == OAK_QUICK_BYTE) word = *quick->at;
    else if (quick->kind <= OAK_QUICK_STAYS) word = oak_judged_moved(quick, now);
    else if (quick->kind == OAK_QUICK_PC) word = judged->pc;
    else if (quick->kind == OAK_QUICK_WORD) memcpy(&word, quick->at, sizeof word);
    else if (quick->kind == OAK_QUICK_BANKED) word = quick->at[*quick->bank & quick->bank_bits];
    else if (quick->kind == OAK_QUICK_STATUS) word = judged->status(core);
    else if (quick->kind == OAK_QUICK_LIES) word = oak_judged_lies(judged, core, quick->number);
    else {
        memcpy(&half, quick->at, sizeof half);
        word = half;
    }
    return word & quick->mask;
}

static inline bool oak_is_host_big(void)
{
    const uint32_t one = 1;
    uint8_t first;
    memcpy(&first, &one, sizeof first);
    return !first;
}

static inline uint32_t oak_judged_word(const uint8_t *at)
{
    uint32_t word;
    memcpy(&word, at, sizeof word);
    return word;
}
/* Those that are not put down right away. */
void oak_judged_put_others(const oak_judged *judged, const oak_core *core, size_t row);
/* Only what is led to can be another value than before, and is not, as nothing was written and it is not led elsewhere. */
static inline bool oak_judged_is_led_as_before(const oak_judged *judged, unsigned which)
{
    return !(which & ~judged->led & judged->all) && !(judged->led_lost && *judged->judge.restless);
}
/* Where the caller has found plain memory meanwhile. */
void oak_judged_find_stretches(oak_judged *judged, const oak_core *core);
/* What is led to; false where one of them leads elsewhere than the time before. */
bool oak_judged_follow(oak_judged *judged, const oak_core *core);
/* What words are read from that lies nowhere by itself: the register with the flags, those that have parts of it, and what is led to, as above. */
static inline bool oak_judged_note(oak_judged *judged, const oak_core *core)
{
    if (judged->flags) *judged->flags = judged->status(core);
    else
        for (const oak_judged_quick **one = judged->to_note; one < judged->noted_end; one++)
            if ((*one)->kind == OAK_QUICK_STATUS) judged->noted[(*one)->number] = judged->status(core);
            else
                (void)!judged->read(core, judged->value[(*one)->number].cells.address,
                                    &judged->noted[(*one)->number]); /* it could be read when it was set */
    return !judged->led || oak_judged_follow(judged, core);
}
static inline void oak_judged_note_bank(oak_judged *judged)
{
    const oak_judged_quick *banked = judged->plain.banked;
    *judged->plain.banked_at = banked->at + (*banked->bank & banked->bank_bits);
}
/* OAK_WAY_QUICK, in a loop, where `quick` says all: true when there is no room for another row. The usual case, */
static inline bool oak_judged_put_plain(const oak_judged *judged, uint64_t now)
{
    const oak_judged_plain *plain = &judged->plain;
    oak_judged_rows *rows = plain->rows;
    const size_t row = rows->count++;
    rows->cycle[row] = now;
    plain->column[0][row] = oak_judged_word(plain->at[0]);
    plain->column[1][row] = oak_judged_word(plain->at[1]);
    return row == OAK_JUDGED_ROWS - 1;
}
static inline bool oak_judged_put_bytes(const oak_judged *judged, uint64_t now)
{
    const oak_judged_plain *plain = &judged->plain;
    oak_judged_rows *rows = plain->bytes;
    const size_t row = rows->count++;
    rows->cycle[row] = now;
    plain->column[0][row] = *plain->at[0];
    plain->column[1][row] = *plain->at[1];
    return row == OAK_JUDGED_ROWS - 1;
}
static inline bool oak_judged_put_wide(const oak_judged *judged, uint64_t now)
{
    const oak_judged_plain *plain = &judged->plain;
    oak_judged_rows *rows = plain->wide;
    const size_t row = rows->count++;
    rows->cycle[row] = now;
    plain->column[0][row] = oak_judged_word(plain->at[0]);
    plain->column[1][row] = oak_judged_word(plain->at[1]);
    plain->column[2][row] = oak_judged_word(plain->at[2]);
    plain->column[3][row] = oak_judged_word(plain->at[3]);
    return row == OAK_JUDGED_ROWS - 1;
}
/* and all others. */
static inline bool oak_judged_put_row(const oak_judged *judged, const oak_core *core, uint64_t now)
{
    oak_judged_rows *rows = judged->judge.rows;
    const oak_judged_reads *put = &judged->put;
    const oak_judged_quick *quick = put->at;
    const size_t row = rows->count;
    rows->cycle[row] = now;
    for (; quick < put->words_end; quick++) quick->column[row] = oak_judged_word(quick->at);
    if (quick < put->end) {
        for (; quick < put->bytes_end; quick++) quick->column[row] = *quick->at & quick->mask;
        for (; quick < put->banked_end; quick++)
            quick->column[row] = quick->at[*quick->bank & quick->bank_bits] & quick->mask;
        if (quick < put->end) oak_judged_put_others(judged, core, row);
    }
    rows->count = (unsigned)row + 1;
    return row == OAK_JUDGED_ROWS - 1;
}

/* The same of one value alone, where it is another one. */
static inline bool oak_judged_put_one(oak_judged *judged, uint32_t one, uint64_t now)
{
    one &= judged->quick->mask;
    if (one == *judged->last) return false;
    oak_judged_rows *rows = judged->judge.rows;
    const size_t row = rows->count++;
    *judged->last = one;
    rows->cycle[row] = now;
    rows->value[0][row] = one;
    return row == OAK_JUDGED_ROWS - 1;
}

static inline bool oak_judged_lies_outside(const oak_judged_limits *limits, uint64_t sum)
{
    return ((sum - (uint64_t)limits->from) & limits->bits) > limits->width;
}
/* Whether they can be made, of so many values at most; where what they need lies; and what they come to, */
bool oak_judged_are_steps(const oak_judged_limits *limits, unsigned count);
void oak_judged_place_steps(const oak_judged *judged, oak_judged_reads *reads);
static inline uint64_t oak_judged_stepped(oak_judged *judged, const oak_judged_reads *reads, uint32_t now)
{
    judged->walk.now = now;
    return reads->strides->go(reads->strides, &judged->walk, 0);
}
/* or with these values. */
uint64_t oak_judged_steps_of(const oak_judged_limits *limits, const uint32_t *values);
/* OAK_WAY_OUTSIDE, likewise: true when this sum still is. */
static inline bool oak_judged_sum_outside(oak_judged *judged, const oak_core *core,
                                          const oak_judged_reads *reads, uint32_t now)
{
    if (reads->limits.step_count)
        return oak_judged_lies_outside(&reads->limits, oak_judged_stepped(judged, reads, now));
    const oak_judged_quick *quick = reads->first;
    uint64_t sum = (oak_judged_word(quick->at) & quick->mask) * quick->times;
    quick++;
    sum += (oak_judged_word(quick->at) & quick->mask) * quick->times;
    if (reads->counts.quick)
        sum += (oak_judged_moved(reads->counts.quick, now) & reads->counts.quick->mask) * reads->counts.times;
    if (!reads->has_more) return oak_judged_lies_outside(&reads->limits, sum);
    for (quick = reads->at; quick < reads->words_end; quick++)
        sum += (oak_judged_word(quick->at) & quick->mask) * quick->times;
    for (; quick < reads->bytes_end; quick++) sum += (*quick->at & quick->mask) * quick->times;
    for (; quick < reads->banked_end; quick++)
        sum += (quick->at[*quick->bank & quick->bank_bits] & quick->mask) * quick->times;
    for (; quick < reads->end; quick++) sum += oak_judged_quick_word(judged, core, quick, 0) * quick->times;
    for (const oak_judged_asked *one = reads->asked; one < reads->asked_end; one++)
        sum += (oak_judged_moved(one->quick, now) & one->quick->mask) * one->times;
    return oak_judged_lies_outside(&reads->limits, sum);
}
/* The same of several, of which only these values may have changed. */
static inline bool oak_judged_all_outside(oak_judged *judged, const oak_core *core, unsigned which,
                                          uint32_t now)
{
    for (const oak_judged_reads *reads = judged->sums; reads < judged->sums_end; reads++)
        if (which & reads->which && !oak_judged_sum_outside(judged, core, reads, now)) return false;
    return true;
}

/* OAK_WAY_QUICK_ASKS, likewise: true when one of them has changed. */
static inline bool oak_judged_changes(oak_judged *judged, const oak_core *core, unsigned which, uint64_t now)
{
    const oak_judged_quick *quick = judged->quick;
    uint32_t *last = judged->last, differs = 0;
    for (uint32_t some = which & judged->matter; some; quick++, last++, some >>= 1) {
        if (!(some & 1)) continue;
        const uint32_t word = oak_judged_quick_word(judged, core, quick, (uint32_t)now);
        differs |= word ^ *last;
        *last = word;
    }
    return differs;
}

/* With these values nothing came of it, and nothing has come since. */
static inline oak_judged_vain *oak_judged_slot(const oak_judged_known *known, const uint32_t *values,
                                               bool alone)
{
    _Static_assert(OAK_JUDGED_VAIN == 1 << 10 && OAK_FEW_JUDGED == 4,
                   "so many bits of so many values are left");
    uint32_t mixed = values[0] * 0x9E3779B1u; /* the others are 0 */
    if (!alone) mixed ^= values[1] * 0x85EBCA6Bu ^ values[2] * 0xC2B2AE35u ^ values[3] * 0x27D4EB2Fu;
    return &known->at[mixed >> 22];
}
static inline bool oak_judged_is_vain(oak_judged *judged, bool alone)
{
    const oak_judged_known *known = judged->judge.vain;
    if (!known) return false;
    const oak_judged_vain *one = oak_judged_slot(known, judged->last, alone);
    if (memcmp(one->value, judged->last, alone ? sizeof *one->value : sizeof one->value) != 0 ||
        one->since != known->since)
        return false;
    judged->matter = one->matter;
    return true;
}

/* What a value alone is now: true when somebody has to be asked about it. */
static inline bool oak_judged_asks(oak_judged *judged, uint32_t value)
{
    if (value == judged->last[0]) return false;
    judged->last[0] = value;
    return !oak_judged_is_vain(judged, true);
}

/* What its course has come to. */
static inline uint32_t oak_judged_counted(const oak_judged_value *value, uint64_t now)
{
    if (!value->shows) return oak_course_word(&value->course, value->word, now);
    return (value->base + ((uint32_t)now ^ value->flips)) & value->shows;
}

#endif
