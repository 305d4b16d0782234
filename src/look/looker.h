/* looker.h — an image that is being read back: which bytes are code, and what places are called. */
#ifndef OAK_LOOK_LOOKER_H
#define OAK_LOOK_LOOKER_H

#include <oakspindle/look.h>

#include "base/bytes.h"
#include "base/islands.h"
#include "isa/selection.h"

enum { IS_START = 1, IS_INSIDE = 2, IS_CALLED = 4, IS_JUMPED = 8, IS_DATA = 16, IS_WORD = 32 };

typedef struct looker {
    const oak_program *program;
    const oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    oak_host host;
    oak_islands land; /* where the image has something; what follows is by its slots */
    unsigned unit;    /* bytes of a unit */
    uint8_t *bytes, *known, *mark;
    uint8_t *state; /* of the instruction there, see oak_insn */
    uint32_t *todo;
    size_t todo_count, todo_room;
    oak_selection selection; /* where the instruction set has a selector */
    uint32_t here;           /* the instruction that is printed */
    bool configures;         /* the part has registers among the code that configure it */
    oak_decoded before;      /* the instruction that was printed before it */
    bool full;               /* short codes are passed over from here on */
    bool unknown;            /* something in it depends on what nobody knows to be selected */
    char name[120];
    oak_buf buf;
    const oak_text_sink *out;
} looker;

static inline uint32_t look_slot(const looker *self, uint32_t address)
{
    return oak_islands_slot(&self->land, address);
}

/* Follows the code of a program from reset and its vectors. Close it whatever comes back. */
OAK_MUST_USE oak_status look_open(looker *self, const oak_program *program, const oak_host *host,
                                  const oak_text_sink *out);
void look_close(looker *self);
/* True when the image has a byte there. */
bool look_is_known(const looker *self, uint32_t address);
/* Decodes the instruction at an address when all its bytes are known. */
bool look_decode(const looker *self, uint32_t address, oak_decoded *decoded);
/* The label of an address of code, NULL when nothing goes there; until the next call. */
const char *look_label(looker *self, uint32_t address);
/* What an operand is called (oak_namer); context: the looker. */
const char *look_name(void *context, unsigned space, uint32_t address);
/* Completes what the instruction at `here` names only in part (oak_namer). */
bool look_whole(void *context, unsigned space, uint32_t *address);
/* Writes what lies from an address on, a blank before each: bytes, or words where memory has words. */
void look_units(looker *self, uint32_t address, unsigned units);
/* Hands over what was written. */
OAK_MUST_USE oak_status look_flush(looker *self);

#endif
