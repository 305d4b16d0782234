/* rows.h — numbers and columns of the rows of an architecture's table.
 *
 * Include it with KIT_TABLE (the table, in quotes) and KIT_ROW_NAME(id) defined; KIT_ROWS_OF becomes the array of the rows and
 * KIT_CYCLES_OF of their cycles, where they are defined; else KIT_COUNT the number of rows, behind the enumeration of their names.
 *
 * A row: INSN(id, mnemonic, "operands", "bits", cycles, taken, FLOW, "uses", "flags", "meaning")
 *   cycles  whatever happens; taken: more when it branches or skips
 *   FLOW    NEXT, EVENT, BRANCH, JUMP, CALL, RETURN, MAY_RETURN, COMPUTED (isa.h)
 *   uses    for each operand r (reads), w (writes), b (both) or - ; behind a blank what it uses without naming it
 *   flags   those it changes */
#define CHOICE(mnemonic, of, meaning)
#ifdef KIT_ROWS_OF
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)                        \
    [KIT_ROW_NAME(id)] = {#mnemonic, operands, bits,  cycles,          flags,                                \
                          meaning,   "",       taken, OAK_FLOW_##flow, uses},
const oak_insn_row KIT_ROWS_OF[KIT_COUNT] = {
#include KIT_TABLE
};
#undef INSN
#undef CHOICE
#define CHOICE(mnemonic, of, meaning)
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)                        \
    [KIT_ROW_NAME(id)] = cycles,
const uint8_t KIT_CYCLES_OF[KIT_COUNT] = {
#include KIT_TABLE
};
#else
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning) KIT_ROW_NAME(id),
enum {
#include KIT_TABLE
    KIT_COUNT
};
#endif
#undef INSN
#undef CHOICE
