/* changing.c — the verbs that set, drive, record, save and load. */
#include <ctype.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"

/* ------------------------------------------------------------------------------------------ changing */

/* A pointer that gets what stands in a variable, where its address may be meant. */
static void say_address_meant(bench *b, const char *assignment)
{
    const oak_architecture *about = oak_session_part(b->session)->architecture;
    size_t left = strcspn(assignment, "= \t");
    const char *name = assignment + strcspn(assignment, "=");
    bool pointer = false;
    for (unsigned i = 0; i < about->register_count; i++)
        pointer |= about->registers[i].points_to && left == strlen(oak_register_called(about, i)) &&
                   strncasecmp(assignment, oak_register_called(about, i), left) == 0;
    name += strspn(name, "= \t");
    char address[100], message[400], hint[200];
    oak_reading reading;
    snprintf(address, sizeof address, "&%s", name);
    if (!pointer || !(isalpha((unsigned char)*name) || *name == '_') || strlen(name) > sizeof address - 2 ||
        oak_session_value(b->session, address, &oak_silent, &reading))
        return;
    snprintf(message, sizeof message, "%.*s is now what stands in `%s`, not its address", (int)left,
             assignment, name);
    snprintf(hint, sizeof hint, "`&%s` is its address, 0x%04llx.", name, (unsigned long long)reading.value);
    b->self->sink.report(b->self->sink.context,
                         &(oak_diagnostic){.severity = OAK_NOTE, .message = message, .hint = hint});
}

bool bench_verb_set(bench *b, const char *rest)
{
    if (!bench_done(b, oak_session_set(b->session, rest, &b->self->sink), rest)) return false;
    say_address_meant(b, rest);
    return true;
}

bool bench_verb_drive(bench *b, const char *rest)
{
    if (!bench_done(b, oak_session_drive(b->session, rest, &b->self->sink), rest)) return false;
    if (b->drive_count < BENCH_MOST_KEPT && (b->drives[b->drive_count] = cli_strdup(rest))) b->drive_count++;
    return true;
}

bool bench_verb_act(bench *b, const char *rest)
{
    if (!b->board) return bench_complain(b, "Give one with --board F.", "there is no board");
    return bench_done(b, oak_board_act(b->board, rest, &b->self->sink), rest);
}

/* A name that no expression could have, or that several files have for different things, is left out. */
static bool can_be_named(const oak_program *program, const oak_symbol *symbol)
{
    const oak_symbol *other;
    size_t length = strlen(symbol->name);
    if (strchr(symbol->name, '.')) return false; /* a local label */
    for (unsigned i = 0; (other = oak_program_find_in(program, NULL, 0, symbol->name, length, i)); i++)
        if (other->value != symbol->value || other->space != symbol->space) return false;
    return oak_program_find(program, symbol->name, length) == symbol; /* each once */
}

/* An instruction at an address, with some that do nothing behind it, and the labels of the program. */
static oak_status assemble_put(bench *b, const char *instruction, size_t size, uint32_t address,
                               unsigned nops, oak_program **patch)
{
    const oak_part *part = oak_session_part(b->session);
    const oak_program *program = oak_session_program(b->session);
    const oak_symbol *symbol;
    char *source = NULL;
    size_t length = 0;
    FILE *file = open_memstream(&source, &length);
    if (!file) return OAK_NO_MEMORY;
    fprintf(file, " org 0x%lx\n %.*s ; allow(runs-off)\n", (unsigned long)address, (int)size, instruction);
    while (nops--) fprintf(file, " nop ; allow(runs-off)\n");
    for (unsigned i = 0; program && (symbol = oak_program_symbol(program, i)); i++) {
        bool code = symbol->space == part->architecture->code_space;
        if (!can_be_named(program, symbol)) continue;
        fprintf(file, "%s equ %s%s0x%llx\n", symbol->name,
                symbol->space && !code ? part->architecture->spaces[symbol->space].name : "",
                symbol->space && !code ? ":" : "", (unsigned long long)symbol->value);
    }
    fclose(file);
    oak_status status = oak_assemble_text(&b->self->host, part, "put", source, length, &b->self->sink, patch);
    free(source);
    return status;
}

enum { MOST_PUT = 8 };

/* The bytes of what is put there: 0 when they are none or too many. */
static unsigned put_bytes(const oak_program *patch, uint32_t address, uint8_t *bytes)
{
    uint32_t from;
    uint64_t length;
    if (oak_image_next_run(oak_program_image(patch), 0, &from, &length) || from != address ||
        length > MOST_PUT)
        return 0;
    oak_image_read(oak_program_image(patch), address, 0xFF, bytes, (size_t)length);
    return (unsigned)length;
}

/* What stood there is overwritten whole: nops fill what is left of the last instruction, where they fit. */
static unsigned fill_put(bench *b, const char *instruction, size_t size, uint32_t address, uint8_t *bytes,
                         unsigned length, unsigned whole)
{
    oak_program *patch;
    for (unsigned nops = 1; length < whole && nops <= whole; nops++) {
        uint8_t more[MOST_PUT];
        if (assemble_put(b, instruction, size, address, nops, &patch)) return 0;
        unsigned filled = put_bytes(patch, address, more);
        oak_program_free(patch);
        if (!filled || filled > whole) return 0;
        if (filled < whole) continue;
        memcpy(bytes, more, filled);
        return nops;
    }
    return 0;
}

/* put INSTRUCTION at PLACE: assembled, with the labels of the program, and written there. */
bool bench_verb_put(bench *b, const char *rest)
{
    const char *at = NULL;
    uint32_t address;
    for (const char *p = rest; (p = strstr(p, " at ")); p++) at = p;
    if (!at) return bench_complain(b, "Write `put setb relay at halt+2`.", "`at` and a place are missing");
    size_t size = (size_t)(at - rest);
    if (oak_session_place(b->session, at + 4, &b->self->sink, &address)) return false;
    oak_program *patch = NULL;
    oak_status status = assemble_put(b, rest, size, address, 0, &patch);
    if (status) return bench_done(b, status, rest);
    uint8_t bytes[MOST_PUT];
    unsigned length = put_bytes(patch, address, bytes), whole = 0, before = 0, used;
    oak_program_free(patch);
    char last[120] = "";
    while (length && whole < length &&
           !oak_session_print_instruction(b->session, address + whole, last, sizeof last, &used))
        whole += used, before++;
    unsigned nops = length ? fill_put(b, rest, size, address, bytes, length, whole) : 0;
    oak_chip_port chip = oak_session_chip(b->session);
    bool good = length > 0;
    if (good) {
        oak_session_touch(b->session);
        good = !chip.ops->write_memory(chip.chip, oak_session_part(b->session)->architecture->code_space,
                                       address, bytes, nops ? whole : length);
        oak_session_touch(b->session);
    }
    if (!good) return bench_complain(b, NULL, "this cannot be put there");
    printf("  %u byte%s at 0x%04lx", length, length == 1 ? "" : "s", (unsigned long)address);
    if (before > 1) printf(", in place of %u instructions", before);
    if (nops) printf("; %u nop%s in what is left of `%s`", nops, nops == 1 ? "" : "s", last);
    else if (whole > length)
        printf("; what is left of `%s` stands behind it, at 0x%04lx", last, (unsigned long)address + length);
    printf("\n");
    return true;
}
