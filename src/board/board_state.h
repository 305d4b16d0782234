/* board_state.h — the inside of a board, for its files:
 *
 *   board.c        wires, what happens on them, alarms, what people do
 *   board_yaml.c   reading board files
 *   kinds_*.c      the stand-ins */
#ifndef OAK_BOARD_BOARD_STATE_H
#define OAK_BOARD_BOARD_STATE_H

#include <oakspindle/board.h>

#include "base/arena.h"
#include "base/diag.h"

enum { BOARD_NO_WIRE = 0xFFFF, BOARD_MOST_PRINTED = 65536 };

/* A wire: to a pin of the chip, or between stand-ins only, or tied to ground or supply. */
typedef struct board_wire {
    const char *name;
    int pin;               /* -1: none */
    oak_level tied;        /* OAK_FLOAT: not at all */
    oak_level level;       /* what stands on it: low, high or floating */
    uint32_t line, column; /* where it is named first */
    unsigned terminals;    /* how many are on it */
    bool dirty, told;      /* its drives have changed; whoever looks has been told of its level */
} board_wire;

typedef struct board_terminal {
    uint16_t wire;   /* or BOARD_NO_WIRE */
    oak_level drive; /* what the stand-in does to it */
    uint32_t line, column;
} board_terminal;

typedef struct board_setting {
    uint64_t number;
    const char *text;
    const uint8_t *bytes;
    size_t size;
} board_setting;

struct oak_stand_in {
    oak_board *board;
    const char *name;
    const oak_stand_in_kind *kind;
    board_terminal *terminals;
    unsigned terminal_count; /* rows of terminals written out */
    board_setting *settings;
    void *state;
    uint64_t due, random;
    uint8_t *printed;
    size_t printed_count, printed_room;
    void (*heard)(void *context, const uint8_t *bytes, size_t count);
    void *hears;
};

/* Something a person does. */
typedef struct board_deed {
    oak_stand_in *who;
    const char *what;
    uint64_t picoseconds, cycles, at; /* at: in cycles */
    bool done;
} board_deed;

struct oak_board {
    oak_host host;
    oak_arena arena;
    const oak_part *part;
    const char *title;
    uint64_t clock;
    oak_stand_in *stand_ins;
    unsigned stand_in_count;
    board_wire *wires;
    size_t wire_count, wire_room;
    board_deed *deeds;
    size_t deed_count, deed_room;
    uint16_t wire_of_pin[OAK_MOST_PORTS * OAK_MOST_PINS];
    oak_session *session;
    unsigned source;
    uint64_t now, seed, restless;
    bool started, settling;
};

/* What a word does at a time: the deed is kept for every run. */
OAK_MUST_USE oak_status board_add_deed(oak_board *board, oak_stand_in *who, const char *what, uint64_t cycles,
                                       uint64_t picoseconds);

/* Does it understand the first word? */
bool board_knows_act(const oak_stand_in *who, const char *what);

extern const oak_stand_in_kind oak_kind_lamp, oak_kind_lamp_bar, oak_kind_digits, oak_kind_button,
    oak_kind_switch, oak_kind_keypad, oak_kind_encoder, oak_kind_relay, oak_kind_motor, oak_kind_heater,
    oak_kind_pulse_sensor, oak_kind_shift_register, oak_kind_memory, oak_kind_external_memory,
    oak_kind_eeprom_two_wire, oak_kind_eeprom_four_wire, oak_kind_character_display, oak_kind_terminal;

#endif
