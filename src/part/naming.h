/* naming.h — the names a part gives addresses and bits, for printing instructions. */
#ifndef OAK_PART_NAMING_H
#define OAK_PART_NAMING_H

#include <oakspindle/part.h>

#include "isa/isa.h"

/* The part's name for an address of a space, or NULL: a register, a bit of one, or REGISTER.BIT, written into `text`. Bits
 * of ports are pins and named as such (P3.0). */
const char *oak_part_name_of(const oak_part *part, const oak_isa *isa, unsigned space, uint32_t address,
                             char *text, size_t room);

/* A word that configures the chip as `config` takes its fields: "WDTE=on, FOSC=rc". */
void oak_part_write_fields(const oak_part_register *reg, uint32_t word, char *text, size_t room);

#endif
