/* board.h — the board around a chip: stand-ins for lamps, buttons, relays, displays … wired to its pins and to each other.
 *
 * A board file (docs/boards.md) says what is on a board. Each stand-in is one of the kinds that come with the library, or of
 * a kind somebody writes against this header: fill in an oak_stand_in_kind and hand it to oak_board_load. A board belongs
 * to one session. */
#ifndef OAKSPINDLE_BOARD_H
#define OAKSPINDLE_BOARD_H

#include <oakspindle/diag.h>
#include <oakspindle/port.h>
#include <oakspindle/session.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_board oak_board;
typedef struct oak_stand_in oak_stand_in; /* one of them, on a board */

/* ------------------------------------------------------------------------------------------ a kind of stand-in */

/* What a terminal may do to its wire. */
typedef enum oak_terminal_use {
    OAK_TERMINAL_IN,   /* looks */
    OAK_TERMINAL_OUT,  /* drives it both ways: nothing else on the wire may do that */
    OAK_TERMINAL_OPEN, /* drives it one way or pulls it: others may, too */
    OAK_TERMINAL_BUS   /* drives it at times: others may at other times */
} oak_terminal_use;

/* A terminal, or `count` of them in a row: NAME0, NAME1 … They are numbered through all of a kind. */
typedef struct oak_terminal {
    const char *name;
    unsigned count; /* 1: no number behind the name */
    oak_terminal_use use;
    bool needed; /* the first of them must be wired */
    const char *title;
} oak_terminal;

typedef enum oak_setting_kind {
    OAK_SETTING_NUMBER,    /* a whole number */
    OAK_SETTING_TIME,      /* picoseconds */
    OAK_SETTING_FREQUENCY, /* 1/1000 Hz */
    OAK_SETTING_WORD,      /* one of `words`: its number */
    OAK_SETTING_TEXT,
    OAK_SETTING_FILE /* the bytes of a file, an image being unpacked from address 0 on */
} oak_setting_kind;

typedef struct oak_setting {
    const char *name;
    oak_setting_kind kind;
    const char *usual; /* as it would stand in a board file; NULL: it must be given */
    uint64_t least, most;
    const char *const *words; /* ends with NULL */
    const char *title;
} oak_setting;

typedef struct oak_stand_in_kind {
    const char *name, *title;
    const oak_terminal *terminals;
    unsigned terminal_count;
    const oak_setting *settings;
    unsigned setting_count;
    const char *
        acts; /* what a person can do with it: "press, release, turn CLICKS"; NULL: nothing. Behind a word may stand one in
                       * capitals: CLICKS, FREQUENCY, KEY (one character) or any other (a text); nothing may follow where none does */
    size_t state_size; /* bytes of its own, all 0 at reset; it may keep no pointers there */
    /* Each may be NULL. Reset: cycle 0. */
    void (*reset)(oak_stand_in *self);
    /* The level on the wire of a terminal has changed; also called once for each after reset. */
    void (*changed)(oak_stand_in *self, unsigned terminal, oak_level level);
    /* The cycle that oak_stand_in_wake was given has come. */
    void (*due)(oak_stand_in *self);
    /* Somebody does something: "press", "turn 3". False: it does not understand. */
    bool (*act)(oak_stand_in *self, const char *what);
    /* What a person sees of it, in one line or, for a display, some. */
    void (*show)(oak_stand_in *self, char *text, size_t room);
    /* The same as it looks, over a few lines, for who has the room; NULL: as `show`. */
    void (*draw)(oak_stand_in *self, char *text, size_t room);
    /* Memory on the external bus of the chip, in the space `xram`: where, and what it holds at reset (may be NULL). */
    bool (*maps)(const oak_stand_in *self, oak_external *range, const uint8_t **contents, size_t *size);
    /* Bytes for a kind that a terminal can be attached to; returns how many it took. */
    size_t (*type)(oak_stand_in *self, const uint8_t *bytes, size_t count);
} oak_stand_in_kind;

/* ------------------------------------------------------------------------------------------ what a kind may ask */

void *oak_stand_in_state(oak_stand_in *self);
/* Now, in cycles since reset. */
uint64_t oak_stand_in_now(const oak_stand_in *self);
/* How many cycles a time lasts, rounded up. */
uint64_t oak_stand_in_cycles(const oak_stand_in *self, uint64_t picoseconds);
/* The length of a cycle: numerator / denominator picoseconds. */
void oak_stand_in_cycle(const oak_stand_in *self, uint64_t *numerator, uint64_t *denominator);
/* The level on the wire of a terminal; floating where it is not wired. */
oak_level oak_stand_in_level(const oak_stand_in *self, unsigned terminal);
bool oak_stand_in_is_wired(const oak_stand_in *self, unsigned terminal);
/* Drives or pulls the wire, or lets it go. */
void oak_stand_in_put(oak_stand_in *self, unsigned terminal, oak_level level);
/* Calls `due` at a cycle; UINT64_MAX: not any more. There is one such alarm. */
void oak_stand_in_wake(oak_stand_in *self, uint64_t cycle);
/* Settings by their number in the kind. */
uint64_t oak_stand_in_number(const oak_stand_in *self, unsigned setting);
const char *oak_stand_in_text(const oak_stand_in *self, unsigned setting);
const uint8_t *oak_stand_in_file(const oak_stand_in *self, unsigned setting, size_t *size);
/* A number at random, below `limit`; the same with the same seed. */
uint64_t oak_stand_in_random(oak_stand_in *self, uint64_t limit);
/* Bytes that a person would read off it: kept, and shown at once where a terminal is attached. */
void oak_stand_in_print(oak_stand_in *self, const uint8_t *bytes, size_t count);

/* ------------------------------------------------------------------------------------------ a board */

/* The kinds that come with the library, by number from 0; NULL behind the last. */
const oak_stand_in_kind *oak_stand_in_kind_at(unsigned number);

/* Reads a board file for a part. `kinds` (may be NULL, ends with NULL) come before those of the library. Every fault is
 * reported with line and column. OAK_REFUSED after a diagnostic, OAK_NO_MEMORY. The part must outlive the board. */
OAK_MUST_USE oak_status oak_board_load(const oak_host *host, const char *path, const struct oak_part *part,
                                       const oak_stand_in_kind *const *kinds, const oak_diag_sink *sink,
                                       oak_board **board);
/* Frees it, after its session was closed. NULL is allowed. */
void oak_board_free(oak_board *board);
/* The clock the board has, in 1/1000 Hz; 0 when it says nothing. */
uint64_t oak_board_clock(const oak_board *board);
const char *oak_board_title(const oak_board *board);

/* Puts the chip of a session on the board, and gives its pins the names of the wires. What is random begins with the
 * seed. OAK_UNSUPPORTED where the chip port cannot do that. */
OAK_MUST_USE oak_status oak_board_join(oak_board *board, oak_session *session, uint64_t seed);
/* Somebody does something: "door open", "start press at 10ms". Without a time, now. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_board_act(oak_board *board, const char *text, const oak_diag_sink *sink);

/* Stand-ins in the order of the file, by number from 0; NULL behind the last; or by name. */
oak_stand_in *oak_board_stand_in(oak_board *board, unsigned number);
oak_stand_in *oak_board_find(oak_board *board, const char *name, size_t length);
const char *oak_stand_in_name(const oak_stand_in *self);
const oak_stand_in_kind *oak_stand_in_kind_of(const oak_stand_in *self);
/* What a person sees of it now. */
void oak_stand_in_show(oak_stand_in *self, char *text, size_t room);
/* The same as it looks, over a few lines. */
void oak_stand_in_draw(oak_stand_in *self, char *text, size_t room);
/* What it has printed since reset; the oldest is dropped when it is too much. */
const uint8_t *oak_stand_in_printed(const oak_stand_in *self, size_t *count);
/* What it prints goes there as well, at once; NULL: no longer. */
void oak_stand_in_listen(oak_stand_in *self, void (*heard)(void *context, const uint8_t *bytes, size_t count),
                         void *context);
/* Somebody types; returns how many bytes were taken. */
size_t oak_stand_in_type(oak_stand_in *self, const uint8_t *bytes, size_t count);
/* The cycle at which wires of the board did not come to rest, UINT64_MAX: they always did. */
uint64_t oak_board_restless(const oak_board *board);

#ifdef __cplusplus
}
#endif
#endif
