/* assemble.c — one assembly from beginning to end. */
#include "asm/assembler.h"
#include "base/bytes.h"
#include "base/diag.h"

enum { LARGEST_SOURCE = 256 << 20, MOST_SUGGESTIONS = 50 };

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
        oak_record record = {
            .origin = one->origin, .space = one->space, .size = one->size, .at = one->address};
        oak_value value;
        oak_expr_fault fault;
        switch (one->kind) {
        case STATEMENT_INSN:
            if (!one->form_count) continue; /* a step that is not needed */
            record.kind = OAK_RECORD_CODE;
            record.cycles = as->isa->rows[one->as.code.rows[one->form]].cycles;
            break;
        case STATEMENT_DATA:
        case STATEMENT_BINARY: record.kind = OAK_RECORD_DATA; break;
        case STATEMENT_POOL:
            if (!one->size) continue;
            record.kind = OAK_RECORD_POOL;
            break;
        case STATEMENT_ALIGN:
        case STATEMENT_SPACE: record.kind = OAK_RECORD_SPACE; break;
        case STATEMENT_VALUE:
            record.kind = OAK_RECORD_VALUE;
            if (one->label->kind != SYMBOL_CONSTANT && one->label->kind != SYMBOL_VARIABLE)
                continue; /* it is wrong, as is */
            if (one->label->settled && !one->label->reported) {
                record.at = one->label->value;
                record.space = one->label->space;
                break;
            }
            if (!one->label->as.constant->expr) continue; /* one whose value is */
            if (asm_evaluate(as, one->label->as.constant->expr, &one->label->as.constant->here, &value,
                             &fault))
                continue;
            record.at = value.number;
            record.space = value.space;
            break;
        case STATEMENT_LABEL:
            record.kind = OAK_RECORD_PLACE;
            record.size = one->count;
            break;
        default: record.kind = OAK_RECORD_PLACE; break;
        }
        oak_record *last = program->record_count ? &records[program->record_count - 1] : NULL;
        if (record.kind == OAK_RECORD_CODE && last && last->kind == OAK_RECORD_CODE &&
            last->origin == record.origin &&
            last->at + last->size == record.at) { /* steps of one directive */
            last->size += record.size;
            last->cycles = (uint8_t)(last->cycles + record.cycles);
            continue;
        }
        records[program->record_count++] = record;
    }
    return asm_note_steps(as);
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
        oak_source_line line = oak_program_source(program, record->origin);
        program->lines[program->line_count++] = (oak_line){.file = program->files[line.file].name,
                                                           .line = line.line,
                                                           .address = (uint32_t)record->at,
                                                           .size = record->size,
                                                           .text = line.text,
                                                           .text_size = line.size,
                                                           .cycles = record->cycles};
    }
    return OAK_OK;
}

/* A label with data or space behind it names values of so many bytes, and all of it up to the next label. */
static void size_labels(assembler *as)
{
    unsigned widest = as->isa->about.word_bytes;
    const statement *behind = NULL;
    uint32_t extent = 0;
    for (size_t i = as->statement_count; i-- > 0;) {
        const statement *one = &as->statements[i];
        if (one->kind != STATEMENT_LABEL) {
            bool keeps = one->kind == STATEMENT_DATA || one->kind == STATEMENT_SPACE;
            bool joins = behind && behind->section == one->section && behind->space == one->space &&
                         one->address + one->size == behind->address;
            extent = !keeps ? 0 : joins ? extent + one->size : one->size;
            behind = one;
            continue;
        }
        bool at_once = behind && behind->section == one->section && behind->address == one->address;
        for (asm_symbol *label = one->label; label && at_once; label = label->as.beside)
            label->extent = extent;
        if (i && as->statements[i - 1].kind != STATEMENT_LABEL) extent = 0; /* what is above ends here */
        if (!at_once) continue;
        uint32_t bytes = behind->kind == STATEMENT_DATA ? behind->unit : 1;
        if (behind->kind != STATEMENT_DATA && behind->kind != STATEMENT_SPACE) continue;
        if (behind->kind == STATEMENT_SPACE && (behind->size == 2 || behind->size == 4)) bytes = behind->size;
        for (asm_symbol *label = one->label; label; label = label->as.beside)
            label->bytes = (uint8_t)(bytes <= widest ? bytes : 1);
    }
}

/* Constants are worked out while all symbols are there; what has no value is left out. */
static void settle_constants(assembler *as)
{
    for (size_t i = 0; i < as->symbols.count; i++) {
        asm_symbol *symbol = asm_symbol_at(as, i);
        bool constant = symbol->kind == SYMBOL_CONSTANT || symbol->kind == SYMBOL_VARIABLE;
        if (!constant || symbol->replaced || (symbol->settled && !symbol->reported)) continue;
        oak_value value;
        oak_expr_fault fault;
        oak_expr itself = {.kind = OAK_EXPR_NAME, .as = {.name = symbol}};
        if (asm_evaluate(as, &itself, &symbol->as.constant->here, &value, &fault)) symbol->replaced = true;
        symbol->value = value.number;
        symbol->space = value.space;
    }
}

/* Each becomes one of the program's where it is: so many labels are never there twice. */
static void keep_symbols(assembler *as)
{
    oak_program *program = as->program;
    size_t kept = 0;
    settle_constants(as);
    program->named = oak_arena_zero(&program->arena, program->part->register_count + 1u);
    if (!program->named) as->out_of_memory = true;
    for (size_t i = 0; i < as->symbols.count; i++) {
        const asm_symbol symbol = *asm_symbol_at(as, i);
        if (symbol.kind == SYMBOL_PART && symbol.uses && symbol.of && program->named)
            program->named[symbol.of - 1] = 1;
        if (symbol.replaced || symbol.kind == SYMBOL_PART || symbol.kind == SYMBOL_UNDEFINED) continue;
        oak_source_line line = oak_program_where(program, symbol.origin);
        oak_symbol *to = oak_pool_at(&as->symbols, kept++); /* at or before the one that was just read */
        *to = (oak_symbol){.name = asm_name_of(as, &symbol)->text,
                           .kind = symbol.kind == SYMBOL_LABEL      ? OAK_SYMBOL_LABEL
                                   : symbol.kind == SYMBOL_CONSTANT ? OAK_SYMBOL_CONSTANT
                                                                    : OAK_SYMBOL_VARIABLE,
                           .space = symbol.space,
                           .value = symbol.value,
                           .file = program->files[line.file].name,
                           .line = line.line,
                           .uses = symbol.uses,
                           .bytes = symbol.bytes,
                           .size = symbol.extent};
    }
    oak_pool_shorten(as->host, &as->symbols, kept);
    program->symbols = as->symbols;
    oak_pool_open(&as->symbols, as->symbols.size);
    oak_pool_close(as->host, &as->names);
}

static int by_address(const void *a, const void *b, const void *context)
{
    (void)context;
    const oak_section *left = a, *right = b;
    if (left->space != right->space) return left->space < right->space ? -1 : 1;
    return left->address < right->address ? -1 : left->address > right->address;
}

static oak_status add_section(oak_program *program, const oak_section *section)
{
    oak_section *grown = oak_grow(&program->host, program->sections, &program->section_room,
                                  program->section_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    program->sections = grown;
    grown[program->section_count++] = *section;
    return OAK_OK;
}

/* Named sections as they are, everything else as stretches without a gap. */
static oak_status keep_sections(assembler *as)
{
    oak_program *program = as->program;
    size_t first = as->isa->about.space_count;
    for (size_t i = first; i < as->section_count; i++) {
        const asm_section *from = &as->sections[i];
        oak_section section = {.name = oak_arena_text(&program->arena, from->name->text, from->name->length),
                               .space = from->space,
                               .placed = from->floats,
                               .address = from->base,
                               .size = from->here - from->base,
                               .copied = from->copied,
                               .load = from->load};
        if (!section.name || add_section(program, &section)) return OAK_NO_MEMORY;
    }
    oak_section kept = {.name = "copied", .space = (uint8_t)as->isa->about.code_space, .placed = true};
    for (size_t i = as->copies; as->copies && i < as->section_count; i++) {
        const asm_section *from = &as->sections[i];
        if (!from->copied) continue;
        if (!kept.size) kept.address = from->load;
        kept.size = from->load + (from->here - from->base) - kept.address;
    }
    if (kept.size && add_section(program, &kept)) return OAK_NO_MEMORY;
    size_t named = program->section_count;
    for (size_t i = 0; i < as->statement_count; i++) {
        const statement *one = &as->statements[i];
        if (one->section >= first || !one->size || !one->space) continue;
        oak_section *last =
            program->section_count > named ? &program->sections[program->section_count - 1] : NULL;
        if (last && last->space == one->space && last->address + last->size == one->address) {
            last->size += one->size;
            continue;
        }
        oak_section section = {.space = one->space, .address = one->address, .size = one->size};
        if (add_section(program, &section)) return OAK_NO_MEMORY;
    }
    return oak_sort(&program->host, program->sections, program->section_count, sizeof *program->sections,
                    by_address, NULL);
}

/* What is no longer needed goes before the program grows. */
static void release_statements(assembler *as)
{
    oak_release(as->host, as->statements, as->statement_room, sizeof *as->statements);
    oak_release(as->host, as->slots, as->slot_count, sizeof *as->slots);
    as->statements = NULL;
    as->slots = NULL;
    as->statement_count = as->statement_room = as->slot_count = 0;
}

static oak_status build_program(assembler *as)
{
    size_labels(as);
    oak_status status = keep_records(as);
    if (!status) status = keep_lines(as);
    if (!status) status = keep_sections(as);
    release_statements(as);
    if (!status) keep_symbols(as);
    return status ? status : oak_program_finish(as->program);
}

/* ------------------------------------------------------------------------------------------ the passes */

void asm_close(assembler *as)
{
    release_statements(as);
    oak_pool_close(as->host, &as->names);
    oak_pool_close(as->host, &as->symbols);
    oak_release(as->host, as->diags, as->diag_room, sizeof *as->diags);
    oak_release(as->host, as->steps, as->step_room, sizeof *as->steps);
    oak_release(as->host, as->sections, as->section_room, sizeof *as->sections);
    oak_release(as->host, as->literals, as->literal_room, sizeof *as->literals);
    oak_arena_close(&as->arena);
    oak_program_free(as->program);
}

oak_status asm_open(assembler *as, const oak_host *host, const oak_part *part, const oak_diag_sink *sink)
{
    *as = (assembler){.host = host,
                      .part = part,
                      .sink = sink,
                      .isa = oak_isa_find(part->architecture->name),
                      .suggestions_left = MOST_SUGGESTIONS,
                      .operations_left = MOST_SUGGESTIONS};
    if (!as->isa) return OAK_UNSUPPORTED;
    oak_arena_open(&as->arena, host);
    asm_open_directives(as);
    oak_pool_open(&as->names, sizeof(asm_name));
    /* They become the program's in the end. */
    oak_pool_open(&as->symbols,
                  sizeof(asm_symbol) > sizeof(oak_symbol) ? sizeof(asm_symbol) : sizeof(oak_symbol));
    as->insn.operand = as->operands;
    oak_status status = oak_program_create(host, part, &as->program);
    if (!status) status = as->isa->open(host, &as->program->tables);
    if (!status) as->tables = as->program->tables;
    if (!status && (!asm_open_sections(as) || !asm_add_part_names(as))) status = OAK_NO_MEMORY;
    return status;
}

/* What is used as well is told of where it is used. */
static void check_export(assembler *as, const asm_name *name)
{
    const asm_symbol *symbol = name->symbol;
    if (name->exported && symbol && symbol->kind == SYMBOL_UNDEFINED && symbol->uses == 0)
        asm_report(as, OAK_ERROR, symbol->origin, symbol->column, symbol->column + (size_t)name->length,
                   "unknown-symbol", "Define it in this file, or leave the export out.",
                   "`%s` is exported but not defined", name->text);
}

/* A file is over: its names are its own, except those it exports. */
static void close_file(assembler *as)
{
    for (size_t i = 0; i < as->names.count; i++) {
        asm_name *name = asm_name_at(as, i);
        asm_symbol *symbol = name->symbol;
        if (asm_macro_of(name)) { /* nor do its macros reach into the next one */
            name->rare->foreign = name->rare->macro;
            name->rare->macro = NULL;
        }
        if (!symbol || symbol->kind == SYMBOL_PART) continue;
        if (name->exported && symbol->kind != SYMBOL_UNDEFINED) {
            asm_rare *rare = asm_make_rare(as, name);
            if (!rare) return;
            if (rare->shared)
                asm_report(as, OAK_ERROR, symbol->origin, symbol->column,
                           symbol->column + (size_t)name->length, "defined-twice",
                           "Only one file can export a name.", "`%s` is already exported by %s", name->text,
                           as->program->files[asm_source(as, rare->shared->origin).file].name);
            else rare->shared = symbol;
        }
        check_export(as, name);
        name->exported = false;
        name->symbol = NULL;
    }
    as->scope = NULL;
}

/* Reads one source; `text` lies in the program's arena. */
static oak_status read_source(assembler *as, const char *name, const char *text, size_t size)
{
    const char *kept_name = oak_arena_text(&as->program->arena, name, oak_length(name));
    if (!kept_name || !asm_open_file(as, kept_name, text, size, OAK_NO_PLACE)) return OAK_NO_MEMORY;
    asm_enter(as, (uint16_t)as->isa->about.code_space);
    as->ended = as->lost = false;
    while (asm_next_line(as)) asm_read_line(as);
    if (as->structure)
        asm_report(as, OAK_ERROR, as->structure_place, 0, 1, "not-closed", "Close it with ends.",
                   "this structure has no end");
    as->structure = NULL;
    return as->out_of_memory ? OAK_NO_MEMORY : OAK_OK;
}

static oak_status finish(assembler *as)
{
    for (size_t i = 0; i < as->names.count; i++) check_export(as, asm_name_at(as, i));
    if (!as->out_of_memory) asm_end_pools(as);
    if (!as->out_of_memory) asm_layout(as);
    if (!as->out_of_memory && as->step_count) asm_drop_steps(as);
    if (!as->out_of_memory) asm_emit(as);
    if (as->out_of_memory) return OAK_NO_MEMORY;
    oak_status status = asm_deliver_reports(as);
    bool refused = !status && as->error_count;
    if (refused && !(as->settings && as->settings->keep_refused)) return OAK_REFUSED;
    if (!status) status = build_program(as);
    as->kept = !status && !as->out_of_memory;
    return !status && refused ? OAK_REFUSED : status;
}

static oak_status hand_over(assembler *as, oak_status status, oak_program **program)
{
    if (!status) status = finish(as);
    if (!status || as->kept) {
        *program = as->program;
        as->program = NULL;
    }
    asm_close(as);
    return status;
}

oak_status oak_assemble_text(const oak_host *host, const oak_part *part, const char *name, const char *text,
                             size_t size, const oak_diag_sink *sink, oak_program **program)
{
    if (!host || !part || !name || (!text && size) || !sink || !program) return OAK_MISUSE;
    assembler as;
    if (size > LARGEST_SOURCE) {
        oak_refuse(sink, "file-size", name, 0, 0, NULL, "a source file may have %d MiB at most",
                   LARGEST_SOURCE >> 20);
        return OAK_REFUSED;
    }
    oak_status status = asm_open(&as, host, part, sink);
    if (status == OAK_UNSUPPORTED) return status;
    char *copy = status ? NULL : oak_arena_text(&as.program->arena, text, size);
    if (!status && !copy) status = OAK_NO_MEMORY;
    if (!status) status = read_source(&as, name, copy, size);
    return hand_over(&as, status, program);
}

oak_status oak_assemble_files(const oak_host *host, const oak_part *part, const oak_asm_settings *settings,
                              const oak_diag_sink *sink, oak_program **program)
{
    if (!host || !part || !settings || !sink || !program) return OAK_MISUSE;
    assembler as;
    if (!host->read_file) return OAK_UNSUPPORTED;
    oak_status status = asm_open(&as, host, part, sink);
    if (status == OAK_UNSUPPORTED) return status;
    as.settings = settings;
    for (unsigned i = 0; i < settings->path_count && !status; i++) {
        const char *path = settings->paths[i];
        uint8_t *bytes = NULL;
        size_t size = 0;
        status = host->read_file(host->context, path, LARGEST_SOURCE, &bytes, &size);
        if (status && status != OAK_NO_MEMORY)
            oak_refuse(sink, "no-file", path, 0, 0, NULL, "the source cannot be read: %s",
                       oak_status_text(status));
        if (status) break;
        char *copy = oak_arena_text(&as.program->arena, bytes ? (const char *)bytes : "", size);
        host->resize(host->context, bytes, size, 0);
        status = copy ? read_source(&as, path, copy, size) : OAK_NO_MEMORY;
        if (!status && settings->path_count > 1) close_file(&as);
        if (as.out_of_memory) status = OAK_NO_MEMORY;
    }
    return hand_over(&as, status, program);
}

oak_status oak_assemble(const oak_host *host, const oak_part *part, const char *path,
                        const oak_diag_sink *sink, oak_program **program)
{
    if (!host || !part || !path || !sink || !program) return OAK_MISUSE;
    oak_asm_settings settings = {.paths = &path, .path_count = 1};
    return oak_assemble_files(host, part, &settings, sink, program);
}
