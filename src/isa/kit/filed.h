/* filed.h — what cores share whose registers lie in a file, beside one working register: interrupt lines that wait for their time, a watchdog that asks on
 * one, the space of the file, and what people write for such cores. */
#ifndef OAK_ISA_KIT_FILED_H
#define OAK_ISA_KIT_FILED_H

#include "isa/kit/table.h"

enum { KIT_MOST_LINES = 32 };
/* Interrupt lines: which ask, a bit each, and the cycle from which each can be noticed. */
typedef struct kit_lines {
    uint32_t asks;
    uint64_t from[KIT_MOST_LINES];
} kit_lines;

void kit_line(oak_core *core, kit_lines *lines, unsigned line, bool level, uint64_t from);
/* Those of `which` that can be noticed now; the first cycle at which another one can, UINT64_MAX for none. */
uint32_t kit_lines_due(const oak_core *core, uint32_t which, const kit_lines *lines);
uint64_t kit_lines_next(const oak_core *core, uint32_t which, const kit_lines *lines);
/* As a state file has them: members of an oak_core called `lines`. */
#define KIT_FROM(n) KIT_INNER("from" #n, lines.from[n], UINT64_MAX)
#define KIT_FROM_8(a, b, c, d, e, f, g, h)                                                                   \
    KIT_FROM(a), KIT_FROM(b), KIT_FROM(c), KIT_FROM(d), KIT_FROM(e), KIT_FROM(f), KIT_FROM(g), KIT_FROM(h)
#define KIT_INNER_LINES                                                                                      \
    KIT_INNER("line", lines.asks, UINT32_MAX), KIT_FROM_8(0, 1, 2, 3, 4, 5, 6, 7),                           \
        KIT_FROM_8(8, 9, 10, 11, 12, 13, 14, 15), KIT_FROM_8(16, 17, 18, 19, 20, 21, 22, 23),                \
        KIT_FROM_8(24, 25, 26, 27, 28, 29, 30, 31)

/* The watchdog asks on its line: its time is over. Takes that back and begins it anew. */
bool kit_watchdog_over(oak_core *core, kit_lines *lines, unsigned line);
/* Begins the watchdog's time anew. */
void kit_watchdog_feed(oak_core *core, unsigned line, uint64_t now);
/* The watchdog resets a chip that runs: what is told. */
void kit_watchdog_resets(oak_core *core);
/* No code is at the vector of an interrupt that comes, and somebody minds: it cannot be served. */
bool kit_handler_missing(oak_core *core, uint32_t vector, unsigned units);
/* The register file is one space of registers and RAM, at an offset in an oak_core; what else the part has is the kit's. `lay`: says what lies where. */
OAK_MUST_USE oak_status kit_create_filed(const kit_arch *arch, const oak_isa_tables *tables,
                                         const oak_core_setup *setup, unsigned space, size_t at,
                                         uint32_t size, void (*lay)(oak_core *core), oak_core **result);

/* A destination that is left out, an address where its contents may be meant, a register where a number may be: by the number of the class of immediates (+ 1), and
 * whether the row is a movf. An operand's `extra` 1: nobody wrote it. */
bool kit_filed_doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *value,
                     unsigned decimal, unsigned immediate, unsigned space, bool moves, oak_refusal *why);

/* An operand that is one character, in lower case, 0 for others; it becomes a word; a word where nothing was written, with `extra`. */
char kit_single(const oak_operand_reader *reader, const oak_operand *operand);
void kit_become(const oak_isa_tables *tables, oak_operand *operand, const char *word);
void kit_put_word(const oak_isa_tables *tables, oak_insn *insn, unsigned at, const char *word,
                  unsigned extra);
/* The operands of the first row of a mnemonic, as the table has them. */
const char *kit_first_operands(const oak_isa_tables *tables, unsigned mnemonic);
/* For an oak_isa: where execution goes, as its decoding says. */
oak_flow kit_decoded_flow(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state);

#endif
