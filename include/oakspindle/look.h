/* look.h — reading code back: an image as source text, and what an instruction is. */
#ifndef OAKSPINDLE_LOOK_H
#define OAKSPINDLE_LOOK_H

#include <oakspindle/asm.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Writes the code of a program's image as source text that assembles to the same bytes again. Code is followed from
 * reset, the entry address and those vectors that hold any; everything else is data. Labels are the program's symbols, or made up
 * (sub_0123 where something calls, at_0123 where something jumps). Each instruction carries its address, bytes and
 * cycles as a comment. OAK_NO_MEMORY, or what the sink returns. */
OAK_MUST_USE oak_status oak_look(const oak_program *program, const oak_text_sink *out);

/* Writes, for each routine that is called and each handler, the fewest and the most cycles from its first instruction to its return, and the
 * time at a clock in 1/1000 Hz (0: the part's own), where they can be known without running it: loops with a fixed count are counted. Where they cannot, why. A
 * call's own cycles are the caller's; waits for devices are not known. OAK_UNSUPPORTED for architectures that do not say what loops count by;
 * OAK_NO_MEMORY, or what the sink returns. */
OAK_MUST_USE oak_status oak_look_routines(const oak_program *program, uint64_t clock,
                                          const oak_text_sink *out);

/* What a comparison has found. */
typedef struct oak_comparison {
    unsigned stretches; /* that differ: something else, put in, taken out, or leading somewhere else */
    unsigned moved;     /* instructions and data that are the same at another address */
} oak_comparison;

/* Writes what differs between two images, as instructions: "-" those of the first, "+" those of the second. What is the same but for
 * lying somewhere else is counted, not shown, as are jumps that follow what they lead to. Both are for one part. OAK_NO_MEMORY,
 * OAK_OUT_OF_RANGE for bytes where the part has no code memory, or what the sink returns. */
OAK_MUST_USE oak_status oak_look_compare(const oak_program *before, const oak_program *after,
                                         const oak_text_sink *out, oak_comparison *found);

/* Explains an instruction of an architecture: every form of a mnemonic ("djnz"), with its bits drawn, cycles, flags and what
 * it does. OAK_NOT_FOUND when there is no such mnemonic. */
OAK_MUST_USE oak_status oak_explain_mnemonic(const oak_host *host, const oak_architecture *architecture,
                                             const char *word, const oak_text_sink *out);
/* Explains the instruction that some bytes are, with the fields of its operands filled in. OAK_REFUSED for a reserved code,
 * OAK_OUT_OF_RANGE for too few bytes. */
OAK_MUST_USE oak_status oak_explain_bytes(const oak_host *host, const oak_part *part, const uint8_t *bytes,
                                          size_t count, const oak_text_sink *out);

/* Explains the instruction at an address of a program in the same way, with the program's own labels. */
OAK_MUST_USE oak_status oak_explain_at(const oak_program *program, uint32_t address,
                                       const oak_text_sink *out);

/* Explains the code of a message ("value-range") with a wrong and a right example. OAK_NOT_FOUND. */
OAK_MUST_USE oak_status oak_explain_code(const char *code, const oak_text_sink *out);
/* The codes there are, from 0, with their examples (which may be empty; `wrong` and `right` may be NULL); NULL after the last. */
const char *oak_code_at(unsigned index, const char **wrong, const char **right);
/* The architecture the examples of a code are written for. */
const char *oak_code_architecture(unsigned index);

#ifdef __cplusplus
}
#endif
#endif
