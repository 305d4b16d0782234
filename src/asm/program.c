/* program.c — looking things up in a program. */
#include "asm/program.h"

#include "base/bytes.h"
#include "base/text.h"
#include "isa/isa.h"

/* A merge sort: stable, and without the recursion or the worst case of others. */
oak_status oak_sort(const oak_host *host, void *array, size_t count, size_t size,
                    int (*compare)(const void *a, const void *b, const void *context), const void *context)
{
    size_t ordered = 1;
    while (ordered < count &&
           compare((char *)array + (ordered - 1) * size, (char *)array + ordered * size, context) <= 0)
        ordered++;
    if (ordered >= count) return OAK_OK; /* as most lists of lines and labels are */
    char *scratch = host->resize(host->context, NULL, 0, count * size);
    if (!scratch) return OAK_NO_MEMORY;
    char *from = array, *to = scratch;
    for (size_t width = 1; width < count; width *= 2) {
        for (size_t start = 0; start < count; start += 2 * width) {
            size_t middle = start + width < count ? start + width : count;
            size_t end = start + 2 * width < count ? start + 2 * width : count;
            size_t a = start, b = middle;
            for (size_t at = start; at < end; at++) {
                bool left =
                    a < middle && (b >= end || compare(from + a * size, from + b * size, context) <= 0);
                memcpy(to + at * size, from + (left ? a++ : b++) * size, size);
            }
        }
        char *other = from;
        from = to;
        to = other;
    }
    if (from != array) memcpy(array, from, count * size);
    host->resize(host->context, scratch, count * size, 0);
    return OAK_OK;
}

oak_status oak_program_create(const oak_host *host, const oak_part *part, oak_program **program)
{
    if (!host || !part || !program) return OAK_MISUSE;
    oak_program *made = host->resize(host->context, NULL, 0, sizeof *made);
    if (!made) return OAK_NO_MEMORY;
    memset(made, 0, sizeof *made);
    made->host = *host;
    made->part = part;
    oak_arena_open(&made->arena, &made->host);
    oak_pool_open(&made->symbols, sizeof(oak_symbol));
    oak_status status = oak_image_create(&made->host, &made->image);
    if (status) {
        oak_program_free(made);
        return status;
    }
    *program = made;
    return OAK_OK;
}

void oak_program_free(oak_program *program)
{
    if (!program) return;
    oak_host host = program->host;
    oak_image_free(program->image);
    oak_release(&host, program->files, program->file_room, sizeof *program->files);
    oak_release(&host, program->sections, program->section_room, sizeof *program->sections);
    oak_release(&host, program->source, program->source_room, sizeof *program->source);
    oak_release(&host, program->runs, program->run_room, sizeof *program->runs);
    oak_release(&host, program->notes, program->note_room, sizeof *program->notes);
    oak_release(&host, program->records, program->record_room, sizeof *program->records);
    oak_release(&host, program->lines, program->line_room, sizeof *program->lines);
    oak_pool_close(&host, &program->symbols);
    if (program->tables) oak_isa_find(program->part->architecture->name)->close(&host, program->tables);
    oak_arena_close(&program->arena);
    host.resize(host.context, program, sizeof *program, 0);
}

const oak_part *oak_program_part(const oak_program *program)
{
    if (!program) return NULL;
    return program->part;
}

oak_host oak_program_host(const oak_program *program)
{
    if (!program) return (oak_host){0};
    return program->host;
}

oak_image *oak_program_image(const oak_program *program)
{
    if (!program) return NULL;
    return program->image;
}

oak_status oak_program_next_data(const oak_program *program, size_t *index, uint32_t *address, uint32_t *size)
{
    if (!program || !index || !address || !size) return OAK_MISUSE;
    while (*index < program->record_count) {
        const oak_record *record = &program->records[(*index)++];
        if (record->kind != OAK_RECORD_DATA && record->kind != OAK_RECORD_POOL) continue;
        if (record->space != program->part->architecture->code_space || !record->size) continue;
        *address = (uint32_t)record->at;
        *size = record->size;
        return OAK_OK;
    }
    return OAK_NOT_FOUND;
}

static const oak_source_run *run_of(const oak_program *program, uint32_t origin)
{
    size_t low = 0, high = program->run_count;
    while (high - low > 1) {
        size_t middle = low + (high - low) / 2;
        if (program->runs[middle].first <= origin) low = middle;
        else high = middle;
    }
    return &program->runs[low];
}

oak_source_line oak_program_where(const oak_program *program, uint32_t origin)
{
    const oak_source_run *run = run_of(program, origin);
    return (oak_source_line){.line = run->line + (origin - run->first),
                             .parent = run->parent,
                             .file = run->file,
                             .depth = run->depth,
                             .expanded = run->expanded};
}

oak_source_line oak_program_source(const oak_program *program, uint32_t origin)
{
    const oak_source_run *run = run_of(program, origin);
    const char *text = run->text + program->source[origin], *end = oak_line_end(text, run->end);
    if (end > text && end[-1] == '\r') end--;
    oak_source_line line = oak_program_where(program, origin);
    line.text = text;
    line.size = (uint32_t)(end - text);
    return line;
}

uint32_t oak_program_line_count(const oak_program *program)
{
    if (!program) return 0;
    return (uint32_t)program->source_count;
}

/* ------------------------------------------------------------------------------------------ filling */

oak_status oak_program_add_symbol(oak_program *program, const oak_symbol *symbol)
{
    if (!program || !symbol) return OAK_MISUSE;
    const char *name = oak_arena_text(&program->arena, symbol->name, oak_length(symbol->name));
    const char *file =
        symbol->file ? oak_arena_text(&program->arena, symbol->file, oak_length(symbol->file)) : NULL;
    if (!name || (symbol->file && !file)) return OAK_NO_MEMORY;
    oak_symbol *copy = oak_pool_add(&program->host, &program->symbols);
    if (!copy) return OAK_NO_MEMORY;
    *copy = *symbol;
    copy->name = name;
    copy->file = file;
    return OAK_OK;
}

oak_status oak_program_add_line(oak_program *program, const oak_line *line)
{
    if (!program || !line) return OAK_MISUSE;
    oak_line *grown =
        oak_grow(&program->host, program->lines, &program->line_room, program->line_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    program->lines = grown;
    oak_line *copy = &grown[program->line_count];
    *copy = *line;
    const oak_line *before = program->line_count ? copy - 1 : NULL;
    if (before && oak_same(before->file, line->file)) copy->file = before->file;
    else copy->file = oak_arena_text(&program->arena, line->file, oak_length(line->file));
    copy->text = line->text ? oak_arena_text(&program->arena, line->text, line->text_size) : NULL;
    if (!copy->file || (line->text && !copy->text)) return OAK_NO_MEMORY;
    program->line_count++;
    return OAK_OK;
}

static int compare_names(const char *a, const char *b)
{
    while (*a && oak_lower(*a) == oak_lower(*b)) a++, b++;
    return (unsigned char)oak_lower(*a) - (unsigned char)oak_lower(*b);
}

/* Symbols are sorted through short keys, their first eight letters: most comparisons end there. */
typedef struct name_key {
    uint64_t letters;
    uint32_t index;
} name_key;

static int by_name(const void *a, const void *b, const void *context)
{
    const name_key *left = a, *right = b;
    const oak_program *program = context;
    if (left->letters != right->letters) return left->letters < right->letters ? -1 : 1;
    return compare_names(oak_program_symbol_at(program, left->index)->name,
                         oak_program_symbol_at(program, right->index)->name);
}

oak_status oak_program_sorted(const oak_program *program, uint32_t **order)
{
    const oak_host *host = &program->host;
    size_t count = program->symbols.count, room = 0;
    name_key *keys = oak_grow(host, NULL, &room, count + 1, sizeof *keys);
    uint32_t *indexes = host->resize(host->context, NULL, 0, (count + 1) * sizeof *indexes);
    oak_status status = keys && indexes ? OAK_OK : OAK_NO_MEMORY;
    for (size_t i = 0; !status && i < count; i++) {
        const char *name = oak_program_symbol_at(program, i)->name;
        keys[i] = (name_key){.index = (uint32_t)i};
        for (unsigned n = 0; n < 8; n++)
            keys[i].letters = keys[i].letters << 8 | (*name ? (uint8_t)oak_lower(*name++) : 0);
    }
    if (!status) status = oak_sort(host, keys, count, sizeof *keys, by_name, program);
    for (size_t i = 0; !status && i < count; i++) indexes[i] = keys[i].index;
    oak_release(host, keys, room, sizeof *keys);
    if (status) oak_release(host, indexes, count + 1, sizeof *indexes);
    else *order = indexes;
    return status;
}

/* Symbols by name: open addressing, at most four fifths full, entries are index + 1. */
static oak_status index_symbols(oak_program *program)
{
    size_t size = 16;
    while (size < program->symbols.count + program->symbols.count / 4 + 2) size *= 2;
    program->index = oak_arena_zero(&program->arena, size * sizeof *program->index);
    if (!program->index) return OAK_NO_MEMORY;
    program->index_mask = (uint32_t)(size - 1);
    for (size_t i = 0; i < program->symbols.count; i++) {
        const char *name = oak_program_symbol_at(program, i)->name;
        uint32_t at = oak_name_hash(name, oak_length(name)) & program->index_mask;
        while (program->index[at]) at = (at + 1) & program->index_mask;
        program->index[at] = (uint32_t)i + 1;
    }
    return OAK_OK;
}

static int by_address(const void *a, const void *b, const void *context)
{
    (void)context;
    uint32_t left = ((const oak_line *)a)->address, right = ((const oak_line *)b)->address;
    return left < right ? -1 : left > right;
}

static int by_value(const void *a, const void *b, const void *context)
{
    int64_t left = oak_program_symbol_at(context, *(const uint32_t *)a)->value,
            right = oak_program_symbol_at(context, *(const uint32_t *)b)->value;
    return left < right ? -1 : left > right;
}

oak_status oak_program_finish(oak_program *program)
{
    if (!program) return OAK_MISUSE;
    oak_status status = index_symbols(program);
    if (!status)
        status = oak_sort(&program->host, program->lines, program->line_count, sizeof *program->lines,
                          by_address, NULL);
    if (status) return status;
    unsigned code = program->part->architecture->code_space;
    program->labels = oak_arena_take(&program->arena, (program->symbols.count + 1) * sizeof *program->labels);
    if (!program->labels) return OAK_NO_MEMORY;
    program->label_count = 0;
    for (size_t i = 0; i < program->symbols.count; i++)
        if (oak_program_symbol_at(program, i)->kind == OAK_SYMBOL_LABEL &&
            oak_program_symbol_at(program, i)->space == code)
            program->labels[program->label_count++] = (uint32_t)i;
    return oak_sort(&program->host, program->labels, program->label_count, sizeof *program->labels, by_value,
                    program);
}

/* ------------------------------------------------------------------------------------------ looking up */

const oak_symbol *oak_program_symbol(const oak_program *program, unsigned index)
{
    if (!program) return NULL;
    return index < program->symbols.count ? oak_program_symbol_at(program, index) : NULL;
}

uint32_t oak_program_find_number(const oak_program *program, const char *name, size_t length, unsigned index)
{
    if (!program->index) return 0;
    uint32_t at = oak_name_hash(name, length) & program->index_mask;
    for (; program->index[at]; at = (at + 1) & program->index_mask)
        if (oak_same_name(name, length, oak_program_symbol_at(program, program->index[at] - 1)->name) &&
            !index--)
            break;
    return program->index[at];
}

const oak_symbol *oak_program_find(const oak_program *program, const char *name, size_t length)
{
    if (!program || !name) return NULL;
    uint32_t number = oak_program_find_number(program, name, length, 0);
    return number ? oak_program_symbol_at(program, number - 1) : NULL;
}

const oak_symbol *oak_program_label_below(const oak_program *program, uint32_t address)
{
    if (!program) return NULL;
    size_t low = 0, high = program->label_count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (oak_program_symbol_at(program, program->labels[middle])->value <= address) low = middle + 1;
        else high = middle;
    }
    if (!low) return NULL;
    const oak_symbol *found = oak_program_symbol_at(program, program->labels[low - 1]);
    while (low > 1 && oak_program_symbol_at(program, program->labels[low - 2])->value == found->value)
        found = oak_program_symbol_at(program, program->labels[--low - 1]);
    return found;
}

oak_status oak_program_line_at(const oak_program *program, uint32_t address, oak_line *line)
{
    if (!program || !line) return OAK_MISUSE;
    size_t low = 0, high = program->line_count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (program->lines[middle].address <= address) low = middle + 1;
        else high = middle;
    }
    if (!low || address - program->lines[low - 1].address >= program->lines[low - 1].size)
        return OAK_NOT_FOUND;
    *line = program->lines[low - 1];
    return OAK_OK;
}

/* True when `path` is `file` or ends with "/file". */
static bool path_ends_with(const char *path, const char *file, size_t length)
{
    size_t size = oak_length(path);
    if (size < length || memcmp(path + size - length, file, length) != 0) return false;
    return size == length || path[size - length - 1] == '/';
}

const oak_symbol *oak_program_find_in(const oak_program *program, const char *file, size_t file_length,
                                      const char *name, size_t length, unsigned index)
{
    if (!program || !name) return NULL;
    uint32_t number;
    for (unsigned i = 0; (number = oak_program_find_number(program, name, length, i)); i++) {
        const oak_symbol *one = oak_program_symbol_at(program, number - 1);
        if (file && !(one->file && path_ends_with(one->file, file, file_length))) continue;
        if (!index--) return one;
    }
    return NULL;
}

oak_status oak_program_find_line(const oak_program *program, const char *file, size_t length, uint32_t line,
                                 oak_line *found)
{
    if (!program || !file || !found) return OAK_MISUSE;
    const oak_line *best = NULL;
    for (size_t i = 0; i < program->line_count; i++) {
        const oak_line *one = &program->lines[i];
        if (one->line < line || (best && best->line <= one->line) || !path_ends_with(one->file, file, length))
            continue;
        best = one;
    }
    if (!best) return OAK_NOT_FOUND;
    *found = *best;
    return OAK_OK;
}

oak_status oak_program_line(const oak_program *program, unsigned index, oak_line *line)
{
    if (!program || !line) return OAK_MISUSE;
    if (index >= program->line_count) return OAK_NOT_FOUND;
    *line = program->lines[index];
    return OAK_OK;
}

const oak_section *oak_program_section(const oak_program *program, unsigned index)
{
    if (!program) return NULL;
    return index < program->section_count ? &program->sections[index] : NULL;
}

bool oak_program_names_register(const oak_program *program, unsigned index)
{
    if (!program) return false;
    return program->named && index < program->part->register_count && program->named[index];
}

const char *oak_program_file(const oak_program *program, unsigned index)
{
    if (!program) return NULL;
    return index < program->file_count ? program->files[index].name : NULL;
}
