/* assemble.c — one assembly from beginning to end. */
#include "asm/assembler.h"
#include "base/bytes.h"
#include "base/diag.h"

enum { LARGEST_SOURCE = 256 << 20 };

/* ------------------------------------------------------------------------------------------ to a program */

static oak_status keep_records(assembler *as)
{
    oak_program *program = as->program;
    oak_record *records =
        oak_grow(&program->host, NULL, &program->record_room, as->statement_count + 1, sizeof *records);
    if (!records) return OAK_NO_MEMORY;
    program->records = records;
    for (size_t i = 0; i < as->statement_count; i++) {
        const statement *one = &as->statements[i];
        oak_record record = {.place = one->place, .space = one->space, .size = one->size, .at = one->address};
        oak_value value;
        oak_expr_fault fault;
        switch (one->kind) {
        case STATEMENT_INSN:
            record.kind = OAK_RECORD_CODE;
            record.cycles = as->isa->rows[one->as.code.rows[one->form]].cycles;
            break;
        case STATEMENT_DATA:
        case STATEMENT_BINARY: record.kind = OAK_RECORD_DATA; break;
        case STATEMENT_ALIGN:
        case STATEMENT_SPACE: record.kind = OAK_RECORD_SPACE; break;
        case STATEMENT_VALUE:
            record.kind = OAK_RECORD_VALUE;
            if (asm_evaluate(as, one->label->expr, &one->label->here, &value, &fault)) continue;
            record.at = value.number;
            record.space = value.space;
            break;
        default: record.kind = OAK_RECORD_PLACE; break;
        }
        records[program->record_count++] = record;
    }
    return OAK_OK;
}

/* Lines with code, with the text they have in the source. Statements come in the order of the lines. */
static oak_status keep_lines(assembler *as)
{
    oak_program *program = as->program;
    size_t count = 0;
    for (size_t i = 0; i < program->record_count; i++) count += program->records[i].kind <= OAK_RECORD_DATA;
    program->lines = oak_grow(&program->host, NULL, &program->line_room, count + 1, sizeof *program->lines);
    if (!program->lines) return OAK_NO_MEMORY;
    for (size_t i = 0; i < program->record_count; i++) {
        const oak_record *record = &program->records[i];
        if (record->kind > OAK_RECORD_DATA) continue;
        const oak_source_line *line = &program->source[record->place];
        program->lines[program->line_count++] = (oak_line){.file = program->files[line->file].name,
                                                           .line = line->line,
                                                           .address = (uint32_t)record->at,
                                                           .size = record->size,
                                                           .text = line->text,
                                                           .text_size = line->size};
    }
    return OAK_OK;
}

static oak_status keep_symbols(assembler *as)
{
    oak_program *program = as->program;
    for (const asm_name *name = as->first_name; name; name = name->later) {
        asm_symbol *symbol = name->symbol;
        if (!symbol || symbol->kind == SYMBOL_PART || symbol->kind == SYMBOL_UNDEFINED) continue;
        oak_symbol kept = {.name = name->text,
                           .kind = symbol->kind == SYMBOL_LABEL      ? OAK_SYMBOL_LABEL
                                   : symbol->kind == SYMBOL_CONSTANT ? OAK_SYMBOL_CONSTANT
                                                                     : OAK_SYMBOL_VARIABLE,
                           .space = symbol->space,
                           .value = symbol->value,
                           .file = program->files[program->source[symbol->place].file].name,
                           .line = asm_line_of(as, symbol->place),
                           .uses = symbol->uses};
        if (symbol->kind != SYMBOL_LABEL) {
            oak_value value;
            oak_expr_fault fault;
            oak_expr itself = {.kind = OAK_EXPR_NAME, .as = {.name = symbol}};
            if (asm_evaluate(as, &itself, &symbol->here, &value, &fault)) continue;
            kept.value = value.number;
            kept.space = value.space;
        }
        oak_status status = oak_program_add_symbol(program, &kept);
        if (status) return status;
    }
    return OAK_OK;
}

static oak_status build_program(assembler *as)
{
    oak_status status = keep_records(as);
    if (!status) status = keep_lines(as);
    if (!status) status = keep_symbols(as);
    return status ? status : oak_program_finish(as->program);
}

/* ------------------------------------------------------------------------------------------ the passes */

static void close_assembler(assembler *as)
{
    oak_release(as->host, as->buckets, as->bucket_count, sizeof *as->buckets);
    oak_release(as->host, as->statements, as->statement_room, sizeof *as->statements);
    oak_release(as->host, as->diags, as->diag_room, sizeof *as->diags);
    oak_release(as->host, as->here, as->isa->about.space_count, sizeof *as->here);
    if (as->tables) as->isa->close(as->host, as->tables);
    oak_arena_close(&as->arena);
    oak_program_free(as->program);
}

static oak_status open_assembler(assembler *as, const oak_host *host, const oak_part *part,
                                 const oak_diag_sink *sink)
{
    *as = (assembler){.host = host,
                      .part = part,
                      .sink = sink,
                      .isa = oak_isa_find(part->architecture->name),
                      .suggestions_left = 50};
    if (!as->isa) return OAK_UNSUPPORTED;
    oak_arena_open(&as->arena, host);
    as->insn.operand = as->operands;
    as->space = (uint8_t)as->isa->about.code_space;
    size_t size = as->isa->about.space_count * sizeof *as->here;
    as->here = host->resize(host->context, NULL, 0, size);
    if (!as->here) return OAK_NO_MEMORY;
    memset(as->here, 0, size);
    oak_status status = as->isa->open(host, &as->tables);
    if (!status) status = oak_program_create(host, part, &as->program);
    if (!status && !asm_add_part_names(as)) status = OAK_NO_MEMORY;
    return status;
}

/* Takes over `text`, which lies in the program's arena. */
static oak_status assemble(assembler *as, const char *name, const char *text, size_t size)
{
    oak_program *program = as->program;
    const char *kept_name = oak_arena_text(&program->arena, name, oak_length(name));
    if (!kept_name || !asm_open_file(as, kept_name, text, size, OAK_NO_PLACE)) return OAK_NO_MEMORY;
    while (asm_next_line(as)) asm_read_line(as);
    if (as->structure)
        asm_report(as, OAK_ERROR, as->structure_place, 0, 1, "not-closed", "Close it with ends.",
                   "this structure has no end");
    if (!as->out_of_memory) asm_layout(as);
    if (!as->out_of_memory) asm_emit(as);
    if (as->out_of_memory) return OAK_NO_MEMORY;
    oak_status status = asm_deliver_reports(as);
    if (!status && as->error_count) status = OAK_REFUSED;
    return status ? status : build_program(as);
}

oak_status oak_assemble_text(const oak_host *host, const oak_part *part, const char *name, const char *text,
                             size_t size, const oak_diag_sink *sink, oak_program **program)
{
    assembler as;
    if (size > LARGEST_SOURCE) {
        oak_refuse(sink, "file-size", name, 0, 0, NULL, "a source file may have %d MiB at most",
                   LARGEST_SOURCE >> 20);
        return OAK_REFUSED;
    }
    oak_status status = open_assembler(&as, host, part, sink);
    if (status == OAK_UNSUPPORTED) return status;
    char *copy = status ? NULL : oak_arena_text(&as.program->arena, text, size);
    if (!status && !copy) status = OAK_NO_MEMORY;
    if (!status) status = assemble(&as, name, copy, size);
    if (!status) {
        *program = as.program;
        as.program = NULL;
    }
    close_assembler(&as);
    return status;
}

oak_status oak_assemble(const oak_host *host, const oak_part *part, const char *path,
                        const oak_diag_sink *sink, oak_program **program)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    if (!host->read_file) return OAK_UNSUPPORTED;
    oak_status status = host->read_file(host->context, path, LARGEST_SOURCE, &bytes, &size);
    if (status == OAK_NO_MEMORY) return status;
    if (status) {
        oak_refuse(sink, "no-file", path, 0, 0, NULL, "the source cannot be read: %s",
                   oak_status_text(status));
        return status;
    }
    status = oak_assemble_text(host, part, path, bytes ? (const char *)bytes : "", size, sink, program);
    host->resize(host->context, bytes, size, 0);
    return status;
}
