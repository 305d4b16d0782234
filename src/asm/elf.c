/* elf.c — a program as an ELF file: the bytes, the symbols, and DWARF 4 line and label information, so that general tools
 * can read it. 32 bits, least significant byte first; symbols of other spaces than code are absolute. */
#include "asm/program.h"
#include "base/bytes.h"
#include "base/text.h"

enum {
    ELF_HEADER = 52,
    PROGRAM_HEADER = 32,
    SECTION_HEADER = 40,
    SYMBOL_SIZE = 16,
    MOST_RUNS = 4096,
    TYPE_PROGRAM = 1,
    TYPE_SYMBOLS = 2,
    TYPE_STRINGS = 3,
    ABSOLUTE = 0xFFF1
};

typedef struct elf_section {
    const char *name;
    uint32_t type, flags, address, offset, size, link, info, align, entry_size;
} elf_section;

typedef struct elf_writer {
    const oak_program *program;
    oak_buf file;
    elf_section *sections;
    size_t count, room;
    bool failed;
} elf_writer;

static void put(oak_buf *buf, uint64_t value, unsigned bytes)
{
    for (unsigned i = 0; i < bytes; i++) oak_buf_char(buf, (char)(uint8_t)(value >> (8 * i)));
}

static void put_unsigned(oak_buf *buf, uint64_t value) /* LEB128 */
{
    do {
        uint8_t byte = value & 0x7F;
        value >>= 7;
        put(buf, byte | (value ? 0x80u : 0), 1);
    } while (value);
}

static void put_signed(oak_buf *buf, int64_t value)
{
    for (bool more = true; more;) {
        uint8_t byte = value & 0x7F;
        bool negative = value < 0;
        value = negative ? ~(~value >> 7) : value >> 7;
        more = !((value == 0 && !(byte & 0x40)) || (value == -1 && (byte & 0x40)));
        put(buf, byte | (more ? 0x80u : 0), 1);
    }
}

static void put_text(oak_buf *buf, const char *text)
{
    oak_buf_text(buf, text);
    oak_buf_char(buf, 0);
}

static void patch(oak_buf *buf, size_t at, uint32_t value)
{
    for (unsigned i = 0; i < 4 && at + i < buf->size; i++)
        buf->bytes[at + i] = (char)(uint8_t)(value >> (8 * i));
}

/* Begins a section at the end of the file; its size is set when the next begins. */
static elf_section *begin(elf_writer *writer, const char *name, uint32_t type)
{
    elf_section *grown =
        oak_grow(&writer->program->host, writer->sections, &writer->room, writer->count + 1, sizeof *grown);
    if (!grown) {
        writer->failed = true;
        return NULL;
    }
    writer->sections = grown;
    while (type && writer->file.size % 4 && !writer->file.failed) oak_buf_char(&writer->file, 0);
    grown[writer->count] = (elf_section){.name = name,
                                         .type = type,
                                         .offset = (uint32_t)writer->file.size,
                                         .align = type == TYPE_PROGRAM ? 1 : 4};
    return &grown[writer->count++];
}

static void end(elf_writer *writer)
{
    if (writer->failed) return;
    elf_section *section = &writer->sections[writer->count - 1];
    section->size = (uint32_t)writer->file.size - section->offset;
}

static unsigned file_number(const oak_program *program, const char *name)
{
    for (size_t i = 0; i < program->file_count; i++)
        if (program->files[i].name == name) return (unsigned)i + 1;
    for (size_t i = 0; i < program->file_count; i++)
        if (name && oak_same(program->files[i].name, name)) return (unsigned)i + 1;
    return 1;
}

/* ------------------------------------------------------------------------------------------ sections */

static void write_code(elf_writer *writer)
{
    uint64_t from = 0, length;
    uint32_t address;
    const oak_image *image = writer->program->image;
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK &&
           writer->count < MOST_RUNS) {
        from = address + length;
        elf_section *section = begin(writer, ".text", TYPE_PROGRAM);
        if (!section) return;
        section->address = address;
        section->flags = 2 | 4; /* in memory, executable */
        for (uint64_t at = address; at < from; at++) {
            uint8_t byte = 0;
            oak_image_byte(image, (uint32_t)at, &byte);
            oak_buf_char(&writer->file, (char)byte);
        }
        end(writer);
    }
}

static void write_symbols(elf_writer *writer)
{
    const oak_program *program = writer->program;
    unsigned code = program->part->architecture->code_space;
    size_t runs = writer->count;
    oak_buf strings;
    oak_buf_open(&strings, &program->host);
    oak_buf_char(&strings, 0);
    elf_section *section = begin(writer, ".symtab", TYPE_SYMBOLS);
    if (!section) return;
    section->link = (uint32_t)writer->count;
    section->info = 1;
    section->entry_size = SYMBOL_SIZE;
    oak_buf_repeat(&writer->file, 0, SYMBOL_SIZE);
    for (size_t i = 0; i < program->symbols.count; i++) {
        const oak_symbol *symbol = oak_program_symbol_at(program, i);
        uint32_t index = ABSOLUTE;
        for (size_t s = 1; s < runs && symbol->kind == OAK_SYMBOL_LABEL && symbol->space == code; s++)
            if (symbol->value >= writer->sections[s].address &&
                symbol->value - writer->sections[s].address < writer->sections[s].size)
                index = (uint32_t)s;
        put(&writer->file, strings.size, 4);
        put(&writer->file, (uint64_t)symbol->value, 4);
        put(&writer->file, 0, 4);
        put(&writer->file, 0x10, 1); /* global, no type */
        put(&writer->file, 0, 1);
        put(&writer->file, index, 2);
        put_text(&strings, symbol->name);
    }
    end(writer);
    if (begin(writer, ".strtab", TYPE_STRINGS)) {
        oak_buf_add(&writer->file, strings.bytes, strings.size);
        end(writer);
    }
    if (strings.failed) writer->failed = true;
    oak_buf_close(&strings);
}

/* DWARF 4, section 6.2: a row for every line with code, a sequence for every stretch of code. */
static void write_lines(elf_writer *writer)
{
    static const uint8_t operand_counts[12] = {0, 1, 1, 1, 1, 0, 0, 0, 1, 0, 0, 1};
    const oak_program *program = writer->program;
    oak_buf *out = &writer->file;
    if (!begin(writer, ".debug_line", TYPE_PROGRAM)) return;
    size_t start = out->size;
    put(out, 0, 4);
    put(out, 4, 2);
    put(out, 0, 4);
    size_t header = out->size;
    put(out, 1, 1);    /* bytes of the smallest instruction */
    put(out, 1, 1);    /* operations in an instruction */
    put(out, 1, 1);    /* rows are statements */
    put(out, 0xFB, 1); /* line base -5 */
    put(out, 14, 1);   /* line range */
    put(out, 13, 1);   /* first special opcode */
    oak_buf_add(out, operand_counts, sizeof operand_counts);
    put(out, 0, 1); /* no folders */
    for (size_t i = 0; i < program->file_count; i++) {
        put_text(out, program->files[i].name);
        put(out, 0, 3); /* folder, time, size: not said */
    }
    put(out, 0, 1);
    patch(out, header - 4, (uint32_t)(out->size - header));
    uint32_t next = 0, line = 1;
    unsigned file = 1;
    bool open = false;
    for (size_t i = 0; i <= program->line_count; i++) {
        const oak_line *one = i < program->line_count ? &program->lines[i] : NULL;
        if (open && (!one || one->address != next)) {
            put(out, 2, 1); /* advance_pc to the end of the last */
            put_unsigned(out, program->lines[i - 1].size);
            put(out, 0x010100, 3); /* end_sequence */
            open = false;
        }
        if (!one) break;
        if (!open) {
            put(out, 0x020500, 3); /* set_address */
            put(out, one->address, 4);
            line = file = 1;
            open = true;
        } else {
            put(out, 2, 1);
            put_unsigned(out, program->lines[i - 1].size);
        }
        unsigned number = file_number(program, one->file);
        if (number != file) {
            put(out, 4, 1); /* set_file */
            put_unsigned(out, file = number);
        }
        put(out, 3, 1); /* advance_line */
        put_signed(out, (int64_t)one->line - line);
        line = one->line;
        put(out, 1, 1); /* copy */
        next = one->address + one->size;
    }
    patch(out, start, (uint32_t)(out->size - start - 4));
    end(writer);
}

static void write_info(elf_writer *writer)
{
    static const uint8_t abbreviations[] = {1,    0x11, 1,    0x03, 0x08, 0x25, 0x08, 0x13, 0x05,
                                            0x10, 0x17, 0x11, 0x01, 0x12, 0x06, 0,    0, /* compile_unit */
                                            2,    0x0a, 0,    0x03, 0x08, 0x3a, 0x0f, 0x3b, 0x0f,
                                            0x11, 0x01, 0,    0,    0}; /* label */
    const oak_program *program = writer->program;
    oak_buf *out = &writer->file;
    unsigned code = program->part->architecture->code_space;
    uint32_t lowest = program->line_count ? program->lines[0].address : 0, highest = lowest;
    if (program->line_count)
        highest =
            program->lines[program->line_count - 1].address + program->lines[program->line_count - 1].size;
    if (!begin(writer, ".debug_abbrev", TYPE_PROGRAM)) return;
    oak_buf_add(out, abbreviations, sizeof abbreviations);
    end(writer);
    if (!begin(writer, ".debug_info", TYPE_PROGRAM)) return;
    size_t start = out->size;
    put(out, 0, 4);
    put(out, 4, 2);
    put(out, 0, 4); /* the abbreviations begin their section */
    put(out, 4, 1); /* bytes of an address */
    put_unsigned(out, 1);
    put_text(out, program->file_count ? program->files[0].name : "");
    put_text(out, "spindle");
    put(out, 0x8001, 2); /* assembly language */
    put(out, 0, 4);
    put(out, lowest, 4);
    put(out, highest - lowest, 4);
    for (size_t i = 0; i < program->symbols.count; i++) {
        const oak_symbol *symbol = oak_program_symbol_at(program, i);
        if (symbol->kind != OAK_SYMBOL_LABEL || symbol->space != code) continue;
        put_unsigned(out, 2);
        put_text(out, symbol->name);
        put_unsigned(out, file_number(program, symbol->file));
        put_unsigned(out, symbol->line);
        put(out, (uint64_t)symbol->value, 4);
    }
    put(out, 0, 1);
    patch(out, start, (uint32_t)(out->size - start - 4));
    end(writer);
}

/* ------------------------------------------------------------------------------------------ the whole */

static void write_headers(elf_writer *writer, size_t runs)
{
    static const uint8_t identity[16] = {0x7F, 'E', 'L', 'F', 1, 1, 1};
    oak_buf *out = &writer->file;
    oak_buf head;
    oak_buf_open(&head, &writer->program->host);
    uint32_t entry = 0;
    oak_image_entry(writer->program->image, &entry);
    while (out->size % 4 && !out->failed) oak_buf_char(out, 0);
    uint32_t table = (uint32_t)out->size;
    oak_buf_add(&head, identity, sizeof identity);
    put(&head, 2, 2); /* executable */
    put(&head, writer->program->part->architecture->elf_machine, 2);
    put(&head, 1, 4);
    put(&head, entry, 4);
    put(&head, runs ? ELF_HEADER : 0, 4);
    put(&head, table, 4);
    put(&head, 0, 4);
    put(&head, ELF_HEADER, 2);
    put(&head, PROGRAM_HEADER, 2);
    put(&head, runs, 2);
    put(&head, SECTION_HEADER, 2);
    put(&head, writer->count, 2);
    put(&head, writer->count - 1, 2);
    for (size_t i = 1; i <= runs; i++) {
        const elf_section *run = &writer->sections[i];
        const uint32_t fields[8] = {1, run->offset, run->address, run->address, run->size, run->size, 5, 1};
        for (unsigned f = 0; f < 8; f++) put(&head, fields[f], 4);
    }
    if (head.failed || head.size > out->size) writer->failed = true;
    else memcpy(out->bytes, head.bytes, head.size); /* the room for it was kept */
    oak_buf_close(&head);
    uint32_t name = 0;
    for (size_t i = 0; i < writer->count; i++) {
        const elf_section *s = &writer->sections[i];
        const uint32_t fields[10] = {name,    s->type, s->flags, s->address, s->offset,
                                     s->size, s->link, s->info,  s->align,   s->entry_size};
        for (unsigned f = 0; f < 10; f++) put(out, fields[f], 4);
        name += (uint32_t)oak_length(s->name) + 1;
    }
}

oak_status oak_program_write_elf(const oak_program *program, const oak_text_sink *out)
{
    if (!program || !out) return OAK_MISUSE;
    elf_writer writer = {.program = program};
    size_t runs = 0;
    uint64_t from = 0, length;
    uint32_t address;
    oak_buf_open(&writer.file, &program->host);
    while (from <= UINT32_MAX &&
           oak_image_next_run(program->image, (uint32_t)from, &address, &length) == OAK_OK &&
           runs < MOST_RUNS) {
        from = address + length;
        runs++;
    }
    if (runs == MOST_RUNS) return OAK_OUT_OF_RANGE;
    oak_buf_repeat(&writer.file, 0, ELF_HEADER + runs * PROGRAM_HEADER);
    elf_section *null_section = begin(&writer, "", 0);
    if (null_section) null_section->offset = null_section->align = 0;
    if (!writer.failed) write_code(&writer);
    if (!writer.failed) write_symbols(&writer);
    if (!writer.failed) write_lines(&writer);
    if (!writer.failed) write_info(&writer);
    if (!writer.failed && begin(&writer, ".shstrtab", TYPE_STRINGS)) {
        for (size_t i = 0; i < writer.count; i++) put_text(&writer.file, writer.sections[i].name);
        end(&writer);
    }
    if (!writer.failed) write_headers(&writer, runs);
    oak_status status = writer.failed || writer.file.failed
                            ? OAK_NO_MEMORY
                            : out->write(out->context, writer.file.bytes, writer.file.size);
    oak_release(&program->host, writer.sections, writer.room, sizeof *writer.sections);
    oak_buf_close(&writer.file);
    return status;
}
