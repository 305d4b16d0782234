/* part_svd.c — see part_svd.h. expat calls back for every element; a stack of names says where it is.
 *
 * Read: device/peripherals/peripheral (name, baseAddress, derivedFrom), registers/register and cluster (name,
 * addressOffset, size, resetValue, description, dim…), fields/field (bitOffset and bitWidth, lsb and msb, or bitRange),
 * enumeratedValues. Of access rights only `read-only` is kept; interrupts and the processor are passed over. */
#include <expat.h>

#include "part/part_svd.h"

#include "base/bytes.h"
#include "base/diag.h"
#include "base/text.h"

enum {
    DEEPEST = 24,
    LONGEST_TEXT = 400,
    MOST_FIELDS = 64,
    MOST_VALUES = 64,
    MOST_REGISTERS = 20000,
    MOST_COPIES = 512,
    LARGEST_FILE = 64 << 20
};

typedef struct svd_values {
    uint64_t offset, size, reset, dim, increment;
    char name[80], title[120], index[200], access[24];
    bool has_size, has_reset;
} svd_values;

typedef struct svd_field {
    char name[80], title[120];
    uint64_t first, width, last;
    bool has_last;
    oak_part_value values[MOST_VALUES];
    unsigned value_count;
    char value_name[80];
    uint64_t value;
    bool has_value;
} svd_field;

/* A peripheral that is known, for those derived from it. */
typedef struct svd_peripheral {
    const char *name;
    uint32_t base;
    size_t first, count; /* its registers */
} svd_peripheral;

typedef struct svd_reader {
    oak_part_import *import;
    const char *path;
    XML_Parser parser;
    oak_status status;
    char element[DEEPEST][32];
    unsigned depth;
    char text[LONGEST_TEXT];
    size_t length;
    svd_values peripheral, cluster, reg;
    bool in_cluster, in_register, in_field, in_values;
    char derived[80];
    uint64_t base;
    size_t first_register;
    svd_peripheral *peripherals;
    size_t peripheral_count, peripheral_room;
    svd_field field;
    oak_part_field fields[MOST_FIELDS];
    unsigned field_count;
    uint64_t device_size, device_reset;
} svd_reader;

static void refuse(svd_reader *self, const char *message, const char *what)
{
    if (self->status) return;
    self->status = OAK_REFUSED;
    oak_refuse(self->import->sink, "register-description", self->path,
               (uint32_t)XML_GetCurrentLineNumber(self->parser),
               (uint32_t)XML_GetCurrentColumnNumber(self->parser) + 1, NULL, message, what);
    XML_StopParser(self->parser, XML_FALSE);
}

static void no_memory(svd_reader *self)
{
    self->status = OAK_NO_MEMORY;
    XML_StopParser(self->parser, XML_FALSE);
}

/* 12, 0x1f, #1010, 0b1010 */
static uint64_t number_of(svd_reader *self)
{
    uint64_t value = 0;
    size_t used = 0;
    const char *text = self->text;
    if (*text == '#') {
        for (text++; *text == '0' || *text == '1' || *text == 'x'; text++)
            value = value << 1 | (*text == '1');
        if (!*text) return value;
    } else if (!oak_read_number(text, text + self->length, &value, &used) && used == self->length) {
        return value;
    }
    refuse(self, "`%s` is no number", self->text);
    return 0;
}

static void copy_text(const svd_reader *self, char *to, size_t room)
{
    /* Blanks and line ends in a row become one blank. */
    size_t at = 0;
    bool blank = false;
    for (size_t i = 0; i < self->length && at + 1 < room; i++) {
        char c = self->text[i];
        bool is_blank = c == ' ' || c == '\n' || c == '\t' || c == '\r';
        if (is_blank) blank = at > 0;
        else {
            if (blank && at + 2 < room) to[at++] = ' ';
            blank = false;
            to[at++] = c;
        }
    }
    to[at] = 0;
}

static bool is(const char *a, const char *b)
{
    return oak_same(a, b);
}

static void XMLCALL on_start(void *context, const XML_Char *name, const XML_Char **attributes)
{
    svd_reader *self = context;
    if (self->depth == DEEPEST) {
        refuse(self, "the elements are nested too deep at <%s>", name);
        return;
    }
    oak_format(self->element[self->depth++], sizeof self->element[0], "%s", name);
    self->length = 0;
    self->text[0] = 0;
    if (is(name, "peripheral")) {
        self->peripheral = (svd_values){.size = self->device_size, .reset = self->device_reset};
        self->derived[0] = 0;
        for (unsigned i = 0; attributes[i]; i += 2)
            if (is(attributes[i], "derivedFrom"))
                oak_format(self->derived, sizeof self->derived, "%s", attributes[i + 1]);
        self->first_register = self->import->count;
        self->base = 0;
    } else if (is(name, "cluster")) {
        self->cluster = (svd_values){.dim = 1};
        self->in_cluster = true;
    } else if (is(name, "register")) {
        self->reg = (svd_values){.size = self->peripheral.size, .reset = self->peripheral.reset, .dim = 1};
        self->in_register = true;
        self->field_count = 0;
    } else if (is(name, "field")) {
        self->field = (svd_field){.width = 1};
        self->in_field = true;
    } else if (is(name, "enumeratedValues")) {
        self->in_values = true;
    } else if (is(name, "enumeratedValue")) {
        self->field.has_value = false;
        self->field.value_name[0] = 0;
    }
}

static void XMLCALL on_text(void *context, const XML_Char *text, int length)
{
    svd_reader *self = context;
    for (int i = 0; i < length && self->length + 1 < sizeof self->text; i++) {
        if (!self->length && (text[i] == ' ' || text[i] == '\n' || text[i] == '\r' || text[i] == '\t'))
            continue;
        self->text[self->length++] = text[i];
    }
    self->text[self->length] = 0;
}

static void end_field(svd_reader *self)
{
    svd_field *field = &self->field;
    if (field->has_last) field->width = field->last + 1 - field->first;
    self->in_field = false;
    if (!field->name[0] || !field->width || field->first + field->width > 32 ||
        self->field_count == MOST_FIELDS)
        return;
    oak_part_field kept = {.bit = (uint8_t)field->first, .width = (uint8_t)field->width};
    kept.name = oak_arena_text(self->import->arena, field->name, oak_length(field->name));
    kept.title = oak_arena_text(self->import->arena, field->title, oak_length(field->title));
    oak_part_value *values =
        oak_arena_take(self->import->arena, (field->value_count ? field->value_count : 1) * sizeof *values);
    if (!kept.name || !kept.title || !values) {
        no_memory(self);
        return;
    }
    if (field->value_count) memcpy(values, field->values, field->value_count * sizeof *values);
    kept.values = values;
    kept.value_count = field->value_count;
    unsigned at = self->field_count++;
    for (; at && self->fields[at - 1].bit < kept.bit; at--) self->fields[at] = self->fields[at - 1];
    self->fields[at] = kept;
}

static void keep_register(svd_reader *self, const oak_part_register *reg)
{
    oak_part_import *import = self->import;
    oak_part_register *grown =
        import->count < MOST_REGISTERS
            ? oak_grow(import->host, import->registers, &import->room, import->count + 1, sizeof *grown)
            : NULL;
    if (!grown) {
        no_memory(self);
        return;
    }
    import->registers = grown;
    grown[import->count++] = *reg;
}

/* The name of a copy: %s becomes its number or the word in dimIndex. */
static void name_copy(const char *pattern, const char *index, uint64_t number, char *name, size_t room)
{
    char word[24];
    const char *at = index;
    for (uint64_t skip = number; at && *at && skip; at++) skip -= *at == ',';
    size_t length = 0;
    while (at && at[length] && at[length] != ',' && length + 1 < sizeof word) length++;
    if (length && index[0] && index[1] != '-') oak_format(word, sizeof word, "%.*s", (int)length, at);
    else oak_format(word, sizeof word, "%llu", (unsigned long long)number);
    const char *mark = pattern;
    while (*mark && !(mark[0] == '%' && mark[1] == 's')) mark++;
    if (!*mark) oak_format(name, room, "%s", pattern);
    else oak_format(name, room, "%.*s%s%s", (int)(mark - pattern), pattern, word, mark + 2);
    char *to = name; /* REG[%s] is written without brackets */
    for (const char *p = name; *p; p++)
        if (*p != '[' && *p != ']') *to++ = *p;
    *to = 0;
}

static void end_register(svd_reader *self)
{
    self->in_register = false;
    const svd_values *reg = &self->reg;
    oak_part_field *fields =
        oak_arena_take(self->import->arena, (self->field_count ? self->field_count : 1) * sizeof *fields);
    char *title = oak_arena_text(self->import->arena, reg->title, oak_length(reg->title));
    if (!fields || !title) {
        no_memory(self);
        return;
    }
    if (self->field_count) memcpy(fields, self->fields, self->field_count * sizeof *fields);
    uint64_t clusters = self->in_cluster ? self->cluster.dim : 1;
    if (reg->dim > MOST_COPIES || clusters > MOST_COPIES) {
        refuse(self, "register `%s` is repeated too often", reg->name);
        return;
    }
    if (reg->size != 8 && reg->size != 16 && reg->size != 32) return; /* none that one access reaches */
    for (uint64_t c = 0; c < clusters && !self->status; c++) {
        for (uint64_t i = 0; i < reg->dim && !self->status; i++) {
            char own[100], group[100] = "", whole[300];
            name_copy(reg->name, reg->index, i, own, sizeof own);
            if (self->in_cluster) name_copy(self->cluster.name, self->cluster.index, c, group, sizeof group);
            oak_format(whole, sizeof whole, "%s_%s%s%s", self->peripheral.name, group, *group ? "_" : "",
                       own);
            uint64_t address = self->base + reg->offset + i * reg->increment;
            if (self->in_cluster) address += self->cluster.offset + c * self->cluster.increment;
            oak_part_register kept = {.name = oak_arena_text(self->import->arena, whole, oak_length(whole)),
                                      .bits = (uint8_t)reg->size,
                                      .address = (uint32_t)address,
                                      .reset = (uint32_t)reg->reset,
                                      .read_only = oak_same(reg->access, "read-only"),
                                      .title = title,
                                      .fields = fields,
                                      .field_count = self->field_count};
            if (!kept.name) no_memory(self);
            else keep_register(self, &kept);
        }
    }
}

static void derive_peripheral(svd_reader *self, const svd_peripheral *from)
{
    size_t prefix = oak_length(from->name);
    for (size_t i = 0; i < from->count && !self->status; i++) {
        oak_part_register reg = self->import->registers[from->first + i];
        char whole[300];
        oak_format(whole, sizeof whole, "%s%s", self->peripheral.name, reg.name + prefix);
        reg.name = oak_arena_text(self->import->arena, whole, oak_length(whole));
        reg.address = reg.address - from->base + (uint32_t)self->base;
        if (!reg.name) no_memory(self);
        else keep_register(self, &reg);
    }
}

static void end_peripheral(svd_reader *self)
{
    for (size_t i = 0; i < self->peripheral_count && self->derived[0]; i++)
        if (is(self->peripherals[i].name, self->derived)) derive_peripheral(self, &self->peripherals[i]);
    svd_peripheral *grown = oak_grow(self->import->host, self->peripherals, &self->peripheral_room,
                                     self->peripheral_count + 1, sizeof *grown);
    const char *name =
        oak_arena_text(self->import->arena, self->peripheral.name, oak_length(self->peripheral.name));
    if (!grown || !name) {
        if (grown) self->peripherals = grown;
        no_memory(self);
        return;
    }
    self->peripherals = grown;
    grown[self->peripheral_count++] = (svd_peripheral){name, (uint32_t)self->base, self->first_register,
                                                       self->import->count - self->first_register};
}

static void take_field_member(svd_reader *self, const char *name)
{
    svd_field *field = &self->field;
    if (self->in_values) {
        if (is(name, "name")) copy_text(self, field->value_name, sizeof field->value_name);
        else if (is(name, "value")) field->value = number_of(self), field->has_value = true;
        return;
    }
    if (is(name, "name")) copy_text(self, field->name, sizeof field->name);
    else if (is(name, "description")) copy_text(self, field->title, sizeof field->title);
    else if (is(name, "bitOffset") || is(name, "lsb")) field->first = number_of(self);
    else if (is(name, "bitWidth")) field->width = number_of(self);
    else if (is(name, "msb")) field->last = number_of(self), field->has_last = true;
    else if (is(name, "bitRange")) { /* [7:4] */ uint64_t numbers[2] = {0, 0};
        unsigned which = 0;
        for (const char *p = self->text; *p; p++) {
            if (*p == ':') which = 1;
            else if (oak_is_digit(*p)) numbers[which] = numbers[which] * 10 + (uint64_t)(*p - '0');
            if (numbers[which] > 63) break;
        }
        field->first = numbers[1];
        field->last = numbers[0];
        field->has_last = true;
    }
}

static void take_value(svd_reader *self)
{
    svd_field *field = &self->field;
    if (!field->has_value || !field->value_name[0] || field->value_count == MOST_VALUES) return;
    char *name = oak_arena_text(self->import->arena, field->value_name, oak_length(field->value_name));
    if (!name) no_memory(self);
    else field->values[field->value_count++] = (oak_part_value){name, (uint32_t)field->value};
}

static void take_member(svd_reader *self, svd_values *values, const char *name)
{
    if (is(name, "name")) copy_text(self, values->name, sizeof values->name);
    else if (is(name, "description")) copy_text(self, values->title, sizeof values->title);
    else if (is(name, "addressOffset")) values->offset = number_of(self);
    else if (is(name, "size")) values->size = number_of(self);
    else if (is(name, "resetValue")) values->reset = number_of(self);
    else if (is(name, "access")) copy_text(self, values->access, sizeof values->access);
    else if (is(name, "dim")) values->dim = number_of(self);
    else if (is(name, "dimIncrement")) values->increment = number_of(self);
    else if (is(name, "dimIndex")) copy_text(self, values->index, sizeof values->index);
}

static void XMLCALL on_end(void *context, const XML_Char *name)
{
    svd_reader *self = context;
    if (self->depth) self->depth--;
    while (self->length && (self->text[self->length - 1] == ' ' || self->text[self->length - 1] == '\n' ||
                            self->text[self->length - 1] == '\r' || self->text[self->length - 1] == '\t'))
        self->text[--self->length] = 0;
    const char *parent = self->depth ? self->element[self->depth - 1] : "";
    if (is(name, "field")) end_field(self);
    else if (is(name, "enumeratedValue")) take_value(self);
    else if (is(name, "enumeratedValues")) self->in_values = false;
    else if (is(name, "register")) end_register(self);
    else if (is(name, "cluster")) self->in_cluster = false;
    else if (is(name, "peripheral")) end_peripheral(self);
    else if (self->in_field) take_field_member(self, name);
    else if (self->in_register && is(parent, "register")) take_member(self, &self->reg, name);
    else if (self->in_cluster && is(parent, "cluster")) take_member(self, &self->cluster, name);
    else if (is(parent, "peripheral") && is(name, "baseAddress")) self->base = number_of(self);
    else if (is(parent, "peripheral")) take_member(self, &self->peripheral, name);
    else if (is(parent, "device") && is(name, "size")) self->device_size = number_of(self);
    else if (is(parent, "device") && is(name, "resetValue")) self->device_reset = number_of(self);
    self->length = 0;
    self->text[0] = 0;
}

oak_status oak_part_read_svd(oak_part_import *import, const char *path)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = import->host->read_file(import->host->context, path, LARGEST_FILE, &bytes, &size);
    if (status) return status;
    svd_reader *self = import->host->resize(import->host->context, NULL, 0, sizeof *self);
    XML_Parser parser = self ? XML_ParserCreate(NULL) : NULL;
    if (parser) {
        memset(self, 0, sizeof *self);
        self->import = import;
        self->path = path;
        self->parser = parser;
        self->device_size = 32;
        XML_SetUserData(parser, self);
        XML_SetElementHandler(parser, on_start, on_end);
        XML_SetCharacterDataHandler(parser, on_text);
        enum XML_Status parsed = XML_Parse(parser, bytes ? (const char *)bytes : "", (int)size, 1);
        if (parsed != XML_STATUS_OK && !self->status)
            refuse(self, "not valid XML: %s", XML_ErrorString(XML_GetErrorCode(parser)));
        else if (!self->status && !import->count) refuse(self, "%s describes no registers", path);
        status = self->status;
        oak_release(import->host, self->peripherals, self->peripheral_room, sizeof *self->peripherals);
        XML_ParserFree(parser);
    } else {
        status = OAK_NO_MEMORY;
    }
    if (self) import->host->resize(import->host->context, self, sizeof *self, 0);
    import->host->resize(import->host->context, bytes, size, 0);
    return status;
}
