/* armm.h — shared by the files of the Arm M-profile instruction sets (armv6m and armv7m): numbers of rows and registers, and the columns of
 * armm.def. What all Arm instruction sets share is in ../arm.
 *
 *   armm_language.c the rows, what of them the manual leaves open, the two architectures
 *   armm_core.c …   executing, see armm_core.h */
#ifndef OAK_ARMM_H
#define OAK_ARMM_H

#include "isa/arm/arm.h"

enum armm_row_number {
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning) ARMM_##id,
#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#include "isa/armm/armm.def"
    ARMM_ROWS
};

enum armm_more {
    ARMM_MORE_NONE,
    ARMM_MORE_TAKEN,
    ARMM_MORE_PC,
    ARMM_MORE_LIST,
    ARMM_MORE_DIVIDE,
    ARMM_MORE_LONG,
    ARMM_MORE_LONGER,
    ARMM_MORE_SLEEP
};
enum armm_since { ARMM_SINCE_V6, ARMM_SINCE_V7 };

enum armm_register { /* behind those of every Arm */
                     ARMM_XPSR = ARM_PC + 1,
                     ARMM_MSP,
                     ARMM_PSP,
                     ARMM_PRIMASK,
                     ARMM_CONTROL,
                     ARMM_BASEPRI, /* these two only on armv7m */
                     ARMM_FAULTMASK,
                     ARMM_REGISTERS
};

extern const oak_insn_row armv6m_rows[ARMM_ROWS], armv7m_rows[ARMM_ROWS];
extern const uint8_t armm_more_of[ARMM_ROWS], armm_set_of[ARMM_ROWS];
extern const oak_core_ops armv6m_core_ops, armv7m_core_ops;
extern const oak_isa oak_isa_armv6m, oak_isa_armv7m;

/* The value of a modified immediate; *carry is 0, 1 or -1 for unchanged. false when unpredictable. */
bool armm_expand(uint32_t field, uint32_t *value, int *carry);
const char *armm_special_name(bool v7, unsigned number);
static inline bool armm_is_v7(const oak_isa_tables *tables)
{
    return !tables->dialect->small;
}

#endif
