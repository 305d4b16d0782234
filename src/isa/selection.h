/* selection.h — what code has selected at each place, where an instruction gives only a part of an address and something that
 * earlier code set gives the rest: banks of registers, pages of code. */
#ifndef OAK_ISA_SELECTION_H
#define OAK_ISA_SELECTION_H

#include "base/islands.h"
#include "isa/isa.h"

/* Decodes the instruction at an address; false where there is none. */
typedef bool (*oak_decode_at)(const void *context, uint32_t address, oak_decoded *decoded);

typedef struct oak_selection {
    const oak_isa *isa;
    const oak_isa_tables *tables;
    oak_host host;
    const oak_islands *land;
    oak_decode_at decode;
    const void *context;
    bool intended;         /* targets are the labels that the source names, not what is selected */
    oak_selected *at;      /* by slot; with no bit set where nothing has come */
    oak_selected *summary; /* by slot: what a routine that begins there leaves to who called it */
    uint8_t *mark;
    oak_decoded *decoded;              /* by slot, once it was asked for */
    uint32_t *todo, *touched;          /* touched: slots in which something came */
    size_t count, room, touched_count; /* count and room: of todo */
    uint64_t steps;
    bool changed;
} oak_selection;

/* Makes one for an instruction set with a selector; nothing is kept of it but pointers. OAK_NO_MEMORY. Close it whatever comes
 * back. */
OAK_MUST_USE oak_status oak_selection_open(oak_selection *self, const oak_isa *isa,
                                           const oak_isa_tables *tables, const oak_host *host,
                                           const oak_islands *land, oak_decode_at decode,
                                           const void *context);
void oak_selection_close(oak_selection *self);
/* Follows all code: from where it begins after a reset; from vectors, where anything may be selected, unless code runs through them; and from one
 * address more that nothing has led to. In this order. */
void oak_selection_reset(oak_selection *self, uint32_t address);
void oak_selection_vector(oak_selection *self, uint32_t address);
void oak_selection_from(oak_selection *self, uint32_t address);
/* What is selected before the instruction at an address; nothing known where nothing has come. */
oak_selected oak_selection_at(const oak_selection *self, uint32_t address);
bool oak_selection_reached(const oak_selection *self, uint32_t address);
/* The target of an instruction, by what is selected before it. */
void oak_selection_target(const oak_isa *isa, const oak_selected *now, oak_decoded *decoded);

#endif
