/* tree_svd.c — see tree_svd.h. expat calls back for every element and every piece of text. */
#include <expat.h>
#include <string.h>

#include "part/tree_svd.h"

#include "base/diag.h"

enum { DEEPEST = 40, LONGEST_TEXT = 400, MOST_ELEMENTS = 1500000, LARGEST_FILE = 64 << 20 };

typedef struct tree_reader {
    oak_arena *arena;
    const oak_diag_sink *sink;
    const char *path;
    XML_Parser parser;
    oak_status status;
    svd_node *root, *open;
    unsigned depth;
    size_t elements;
    char text[LONGEST_TEXT];
    size_t length;
    bool blank; /* between what has been read of the text and what comes */
} tree_reader;

static void refuse(tree_reader *self, const char *message, const char *what)
{
    if (self->status) return;
    self->status = OAK_REFUSED;
    oak_refuse(self->sink, "register-description", self->path,
               (uint32_t)XML_GetCurrentLineNumber(self->parser),
               (uint32_t)XML_GetCurrentColumnNumber(self->parser) + 1, NULL, message, what);
    XML_StopParser(self->parser, XML_FALSE);
}

static void no_memory(tree_reader *self)
{
    self->status = OAK_NO_MEMORY;
    XML_StopParser(self->parser, XML_FALSE);
}

static svd_kind kind_of(const char *name)
{
    static const struct {
        const char *name;
        svd_kind kind;
    } all[] = {{"peripherals", SVD_LIST},      {"registers", SVD_LIST},         {"fields", SVD_LIST},
               {"peripheral", SVD_PERIPHERAL}, {"cluster", SVD_CLUSTER},        {"register", SVD_REGISTER},
               {"field", SVD_FIELD},           {"enumeratedValues", SVD_VALUES}};
    for (size_t i = 0; i < sizeof all / sizeof *all; i++)
        if (strcmp(all[i].name, name) == 0) return all[i].kind;
    return SVD_OTHER;
}

/* What is behind a child of an element, or before it, is none of its text. */
static void forget_text(tree_reader *self)
{
    self->length = 0;
    self->blank = false;
}

static void XMLCALL on_start(void *context, const XML_Char *name, const XML_Char **attributes)
{
    tree_reader *self = context;
    if (self->depth == DEEPEST) refuse(self, "the elements are nested too deep at <%s>", name);
    if (self->elements++ == MOST_ELEMENTS)
        refuse(self, "there are more elements than are read, at <%s>", name);
    if (self->status) return;
    svd_node *node = oak_arena_zero(self->arena, sizeof *node);
    const char *kept = node ? oak_arena_text(self->arena, name, strlen(name)) : NULL;
    if (!kept) {
        no_memory(self);
        return;
    }
    node->name = kept;
    node->kind = kind_of(name);
    node->text = "";
    node->line = (uint32_t)XML_GetCurrentLineNumber(self->parser);
    node->column = (uint32_t)XML_GetCurrentColumnNumber(self->parser) + 1;
    node->text_line = node->line, node->text_column = node->column;
    node->parent = self->open;
    for (unsigned i = 0; attributes[i]; i += 2)
        if (strcmp(attributes[i], "derivedFrom") == 0) {
            node->derived = oak_arena_text(self->arena, attributes[i + 1], strlen(attributes[i + 1]));
            if (!node->derived) no_memory(self);
        }
    if (!self->open) self->root = node;
    else if (self->open->last) self->open->last->next = node;
    else self->open->first = node;
    if (self->open) self->open->last = node;
    self->open = node;
    self->depth++;
    forget_text(self);
}

static void XMLCALL on_text(void *context, const XML_Char *text, int length)
{
    tree_reader *self = context;
    for (int i = 0; i < length; i++) {
        if (text[i] == ' ' || text[i] == '\n' || text[i] == '\r' || text[i] == '\t') {
            self->blank = self->length > 0;
            continue;
        }
        if (!self->length) {
            self->open->text_line = (uint32_t)XML_GetCurrentLineNumber(self->parser);
            self->open->text_column = (uint32_t)XML_GetCurrentColumnNumber(self->parser) + 1 + (uint32_t)i;
        }
        if (self->length + 2 >= sizeof self->text) break;
        if (self->blank) self->text[self->length++] = ' ';
        self->blank = false;
        self->text[self->length++] = text[i];
    }
}

static void XMLCALL on_end(void *context, const XML_Char *name)
{
    tree_reader *self = context;
    (void)name;
    svd_node *node = self->open;
    if (!node->first && self->length) {
        node->text = oak_arena_text(self->arena, self->text, self->length);
        if (!node->text) no_memory(self);
    }
    self->open = node->parent;
    self->depth--;
    forget_text(self);
}

oak_status svd_read_tree(const oak_host *host, oak_arena *arena, const oak_diag_sink *sink, const char *path,
                         svd_node **root)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = host->read_file(host->context, path, LARGEST_FILE, &bytes, &size);
    if (status) return status;
    tree_reader self = {.arena = arena, .sink = sink, .path = path, .parser = XML_ParserCreate(NULL)};
    if (self.parser) {
        XML_SetUserData(self.parser, &self);
        XML_SetElementHandler(self.parser, on_start, on_end);
        XML_SetCharacterDataHandler(self.parser, on_text);
        enum XML_Status parsed = XML_Parse(self.parser, bytes ? (const char *)bytes : "", (int)size, 1);
        if (parsed != XML_STATUS_OK && !self.status)
            refuse(&self, "not valid XML: %s", XML_ErrorString(XML_GetErrorCode(self.parser)));
        XML_ParserFree(self.parser);
    } else {
        self.status = OAK_NO_MEMORY;
    }
    host->resize(host->context, bytes, size, 0);
    *root = self.root;
    return self.status;
}
