/* list.c — the architectures there are; one line each. A program that links another list in front of the library has others. */
#include "isa/isa.h"

extern const oak_isa oak_isa_mcs51, oak_isa_armv6m, oak_isa_armv7m, oak_isa_z80, oak_isa_picmid,
    oak_isa_pic18, oak_isa_msp430, oak_isa_cpu12, oak_isa_rv32, oak_isa_a32, oak_isa_avr, oak_isa_mcs4;
const oak_isa *const oak_isa_list[] = {&oak_isa_mcs51,
                                       &oak_isa_armv6m,
                                       &oak_isa_armv7m,
                                       &oak_isa_z80,
                                       &oak_isa_picmid,
                                       &oak_isa_pic18,
                                       &oak_isa_msp430,
                                       &oak_isa_cpu12,
                                       &oak_isa_rv32,
                                       &oak_isa_a32,
                                       &oak_isa_avr,
                                       &oak_isa_mcs4,
                                       NULL};
