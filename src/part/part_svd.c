/* part_svd.c — see part_svd.h. The file is read as a tree (tree_svd.h), then gone through from peripherals down to the values of
 * fields. What an element does not say itself is asked of the one it is derived from, then of those around it.
 *
 * An element with a `derivedFrom` has what that one has, but for what it says itself; registers, clusters and fields of its own are
 * added, or take the place of those that have their name. A name is looked for beside the element first, then further out. */
#include <stdlib.h>
#include <string.h>

#include "part/part_svd.h"
#include "part/tree_svd.h"

#include "base/diag.h"
#include "base/text.h"

enum {
    MOST_REGISTERS = 20000,
    MOST_CLUSTERS = 16, /* in one another */
    MOST_DERIVED = 100,
    MOST_COPIES = 4096,
    MOST_FIELDS = 64,  /* of a register */
    MOST_VALUES = 256, /* of a field, with a meaning */
    MOST_WRONG = 20,
    MOST_UNKNOWN = 20,
    EACH_COPY = 100,
    MOST_WORK = 40000000 /* elements that are looked at: nobody's file keeps the reader busy */
};

static const char CODE[] = "register-description";

/* What a register takes from those around it. */
typedef struct svd_values {
    uint64_t size, reset, mask;
    oak_part_access access;
    bool alternate; /* another view of what is described elsewhere */
} svd_values;

typedef struct svd_found {
    oak_part_register reg;
    const svd_node *node;
    bool alternate;
} svd_found;

/* Elements that count for one, own and inherited. */
typedef struct svd_list {
    svd_node **nodes;
    size_t count, room;
} svd_list;

typedef struct svd_reader {
    oak_part_import *import;
    const char *path;
    svd_node *root;
    oak_status status; /* the first failure that ends all: OAK_NO_MEMORY, or a file that keeps it busy */
    unsigned wrong, unknown;
    unsigned derived; /* how many are being gathered, each for the one derived from it */
    uint32_t work;
    svd_found *found;
    size_t found_count, found_room;
    oak_part_value values[MOST_VALUES];
    unsigned wide; /* registers that are left out because of their size */
    const svd_node *first_wide;
    unsigned views;
    const svd_node *first_view;
} svd_reader;

/* An element that may be there several times, as `dim` and its companions say. */
typedef struct svd_copies {
    uint64_t count, step;
    const svd_node *index; /* dimIndex, or NULL */
} svd_copies;

/* Everything it has to say, of an element or of its text. Stops for good after MOST_WRONG. */
#define REFUSE_AT(self, at_line, at_column, hint, ...)                                                       \
    do {                                                                                                     \
        if ((self)->wrong++ < MOST_WRONG && !(self)->status)                                                 \
            oak_refuse((self)->import->sink, CODE, (self)->path, at_line, at_column, hint, __VA_ARGS__);     \
    } while (0)
#define REFUSE(self, at, ...)      REFUSE_AT(self, (at)->line, (at)->column, __VA_ARGS__)
#define REFUSE_TEXT(self, at, ...) REFUSE_AT(self, (at)->text_line, (at)->text_column, __VA_ARGS__)
#define REMARK(self, at, ...)                                                                                \
    oak_remark((self)->import->sink, CODE, (self)->path, (at)->line, (at)->column, NULL, __VA_ARGS__)

static bool is(const svd_node *node, const char *name)
{
    return oak_same(node->name, name);
}

/* One more element is looked at. */
static bool goes_on(svd_reader *self, const svd_node *node)
{
    if (self->status || self->wrong >= MOST_WRONG) return false;
    if (++self->work < MOST_WORK) return true;
    REFUSE(self, node, "Elements that are derived from each other many times over make it so.",
           "<%s>: the description is too large when it is written out", node->name);
    self->status = OAK_REFUSED;
    return false;
}

/* ------------------------------------------------------------------------------------------ what there may be */

static const char REPEATED[] = " dim dimIncrement dimIndex dimName dimArrayIndex ";
static const struct {
    const char *name, *members;
    bool repeated;
} elements[] = {
    {"device",
     " vendor vendorID name series version description licenseText cpu headerSystemFilename "
     "headerDefinitionsPrefix addressUnitBits "
     "width size access protection resetValue resetMask peripherals vendorExtensions ",
     false},
    {"cpu",
     " name revision endian mpuPresent fpuPresent fpuDP dspPresent icachePresent dcachePresent itcmPresent "
     "dtcmPresent vtorPresent "
     "nvicPrioBits vendorSystickConfig deviceNumInterrupts sauNumRegions sauRegionsConfig pmuPresent "
     "pmuNumEventCnt mvePresent ",
     false},
    {"sauRegionsConfig", " region ", false},
    {"region", " base limit access ", false},
    {"peripherals", " peripheral ", false},
    {"peripheral",
     " name version description alternatePeripheral groupName prependToName appendToName headerStructName "
     "disableCondition baseAddress "
     "size access protection resetValue resetMask addressBlock interrupt registers ",
     true},
    {"addressBlock", " offset size usage protection ", false},
    {"interrupt", " name description value ", false},
    {"registers", " register cluster ", false},
    {"cluster",
     " name description alternateCluster headerStructName addressOffset size access protection resetValue "
     "resetMask register cluster ",
     true},
    {"register",
     " name displayName description alternateGroup alternateRegister addressOffset size access protection "
     "resetValue resetMask "
     "dataType modifiedWriteValues writeConstraint readAction fields ",
     true},
    {"fields", " field ", false},
    {"field",
     " name description bitOffset bitWidth lsb msb bitRange access modifiedWriteValues writeConstraint "
     "readAction enumeratedValues ",
     true},
    {"enumeratedValues", " name headerEnumName usage enumeratedValue ", false},
    {"enumeratedValue", " name description value isDefault ", false},
    {"dimArrayIndex", " headerEnumName enumeratedValue ", false},
    {"writeConstraint", " writeAsRead useEnumeratedValues range ", false},
    {"range", " minimum maximum ", false},
};

static bool is_among(const char *words, const char *name)
{
    size_t length = strlen(name);
    for (const char *at = words; (at = strstr(at, name)); at += length)
        if (at[-1] == ' ' && at[length] == ' ') return true;
    return false;
}

/* Elements of no known name are noted, the first of each name, and passed over. */
static void note_unknown(svd_reader *self, const svd_node *node, const char **names)
{
    if (is(node, "vendorExtensions")) return;
    size_t kind = 0;
    while (kind < sizeof elements / sizeof *elements && !is(node, elements[kind].name)) kind++;
    for (const svd_node *child = node->first; child; child = child->next) {
        if (kind < sizeof elements / sizeof *elements &&
            (is_among(elements[kind].members, child->name) ||
             (elements[kind].repeated && is_among(REPEATED, child->name)))) {
            note_unknown(self, child, names);
            continue;
        }
        bool told = self->unknown == MOST_UNKNOWN;
        for (unsigned i = 0; i < self->unknown && !told; i++) told = oak_same(names[i], child->name);
        if (told) continue;
        names[self->unknown++] = child->name;
        REMARK(self, child, "<%s> in <%s> is not in the standard: it is passed over", child->name,
               node->name);
    }
}

/* ------------------------------------------------------------------------------------------ names and derivation */

static svd_node *own(const svd_node *node, const char *name)
{
    for (svd_node *child = node->first; child; child = child->next)
        if (is(child, name)) return child;
    return NULL;
}

static const char *own_text(const svd_node *node, const char *name)
{
    const svd_node *child = own(node, name);
    return child ? child->text : "";
}

/* The word that stands for a copy: its number, or what dimIndex has in its place: "A,B,C", "0-3", "A-D". */
static void word_of_copy(const svd_node *index, uint64_t number, char *word, size_t room)
{
    const char *at = index ? index->text : "";
    if (!*at) {
        oak_format(word, room, "%llu", (unsigned long long)number);
        return;
    }
    const char *range = strchr(at, ',') ? NULL : strchr(at, '-');
    if (range && oak_is_digit(*at)) {
        oak_format(word, room, "%llu", (unsigned long long)(strtoull(at, NULL, 10) + number));
    } else if (range) {
        oak_format(word, room, "%c", (char)(*at + (char)number));
    } else {
        for (; number && *at; at++) number -= *at == ',';
        while (*at == ' ') at++;
        size_t length = strcspn(at, ",");
        while (length && at[length - 1] == ' ') length--;
        oak_format(word, room, "%.*s", (int)length, at);
    }
}

static uint64_t words_of(const svd_node *index)
{
    const char *at = index->text, *range = strchr(at, ',') ? NULL : strchr(at, '-');
    uint64_t count = 1;
    if (range && oak_is_digit(*at)) {
        uint64_t from = strtoull(at, NULL, 10), to = strtoull(range + 1, NULL, 10);
        return to >= from && to - from < MOST_COPIES ? to - from + 1 : 0;
    }
    if (range)
        return range == at + 1 && range[1] && !range[2] && range[1] >= *at ? (uint64_t)(range[1] - *at) + 1
                                                                           : 0;
    for (; *at; at++) count += *at == ',';
    return count;
}

/* REG[%s] and REG%s with a word in place of the mark. */
static void name_copy(const char *pattern, const char *word, char *name, size_t room)
{
    const char *mark = strstr(pattern, "%s");
    if (!mark) oak_format(name, room, "%s", pattern);
    else if (mark > pattern && mark[-1] == '[' && mark[2] == ']')
        oak_format(name, room, "%.*s%s%s", (int)(mark - 1 - pattern), pattern, word, mark + 3);
    else oak_format(name, room, "%.*s%s%s", (int)(mark - pattern), pattern, word, mark + 2);
}

/* Whether an element is called that, or one of its copies is. */
static bool is_called(const svd_node *node, const char *name, size_t length)
{
    const char *called = own_text(node, "name"), *mark = strstr(called, "%s");
    if (strlen(called) == length && memcmp(called, name, length) == 0) return true;
    uint64_t count = mark ? strtoull(own_text(node, "dim"), NULL, 0) : 0;
    for (uint64_t i = 0; i < count && i < MOST_COPIES; i++) {
        char word[24], copy[120];
        word_of_copy(own(node, "dimIndex"), i, word, sizeof word);
        name_copy(called, word, copy, sizeof copy);
        if (strlen(copy) == length && memcmp(copy, name, length) == 0) return true;
    }
    return false;
}

/* What a path names from here on: PERIPHERAL.CLUSTER.REGISTER.FIELD.VALUES, of the kind that is wanted. Lists are walked through. */
static svd_node *at_path(svd_reader *self, const svd_node *from, const char *path, svd_kind kind)
{
    size_t length = strcspn(path, ".");
    for (svd_node *child = from->first; child && goes_on(self, child); child = child->next) {
        svd_node *deeper = NULL;
        if (child->kind == SVD_OTHER) continue;
        if (child->kind == SVD_LIST) deeper = at_path(self, child, path, kind);
        else if ((!path[length] && child->kind != kind) || !is_called(child, path, length)) continue;
        else if (path[length]) deeper = at_path(self, child, path + length + 1, kind);
        else return child;
        if (deeper) return deeper;
    }
    return NULL;
}

/* Lists of values are known by their names alone, wherever they are. */
static svd_node *values_called(svd_reader *self, const svd_node *from, const char *name)
{
    for (svd_node *child = from->first; child && goes_on(self, child); child = child->next) {
        if (child->kind == SVD_VALUES) {
            if (oak_same(own_text(child, "name"), name)) return child;
        } else if (child->first) {
            svd_node *deeper = values_called(self, child, name);
            if (deeper) return deeper;
        }
    }
    return NULL;
}

/* What an element is derived from, or NULL. Told once when there is no such. */
static svd_node *base_of(svd_reader *self, svd_node *node)
{
    if (!node->derived || node->sought) return node->base;
    node->sought = true;
    svd_node *found = NULL;
    for (const svd_node *scope = node->parent; scope && !found; scope = scope->parent)
        found = at_path(self, scope, node->derived, node->kind);
    for (const svd_node *scope = node->parent; node->kind == SVD_VALUES && scope && !found;
         scope = scope->parent)
        found = values_called(self, scope, node->derived);
    if (self->status) return NULL;
    for (const svd_node *around = node; around && found; around = around->parent)
        if (around == found) {
            REFUSE(self, node, NULL, "<%s> is derived from `%s`, which is %s", node->name, node->derived,
                   found == node ? "itself" : "what it is part of");
            return NULL;
        }
    if (!found)
        REFUSE(self, node, "What is not beside it is named from outside in: PERIPHERAL.REGISTER.FIELD.",
               "<%s> is derived from `%s`, and there is no %s of this name", node->name, node->derived,
               node->kind == SVD_VALUES ? "list of values" : node->name);
    node->base = found;
    /* In a ring, whoever closes it is refused. */
    for (const svd_node *next = found; next && goes_on(self, node); next = next->base)
        if (next == node) {
            REFUSE(self, node, NULL, "<%s> is derived from `%s`, which is derived from it", node->name,
                   node->derived);
            return node->base = NULL;
        }
    return found;
}

/* Chains of derivation are told when they are as long as nobody writes them. */
static bool is_too_far(svd_reader *self, const svd_node *node, unsigned far)
{
    if (far < MOST_DERIVED) return false;
    REFUSE(self, node, NULL, "<%s> is derived from what is derived from others, more than %u times over",
           node->name, MOST_DERIVED);
    self->status = OAK_REFUSED;
    return true;
}

/* What an element says of itself, or the one that it is derived from does. */
static svd_node *member(svd_reader *self, svd_node *node, const char *name)
{
    for (unsigned far = 0; node && goes_on(self, node) && !is_too_far(self, node, far); far++) {
        svd_node *child = own(node, name);
        if (child) return child;
        node = base_of(self, node);
    }
    return NULL;
}

static bool add_node(svd_reader *self, svd_list *list, svd_node *node)
{
    svd_node **grown =
        oak_grow(self->import->host, list->nodes, &list->room, list->count + 1, sizeof *list->nodes);
    if (!grown) {
        self->status = OAK_NO_MEMORY;
        return false;
    }
    list->nodes = grown;
    grown[list->count++] = node;
    return true;
}

/* Elements of an element, in a list of that name or beside each other, with those of what it is derived from. What says `key` the same
 * takes the place of the inherited one. */
static void gather(svd_reader *self, svd_node *node, const char *within, const char *key,
                   const char *const *kinds, svd_list *list)
{
    svd_node *base = base_of(self, node);
    if (is_too_far(self, node, self->derived)) return;
    self->derived++;
    if (base && goes_on(self, node)) gather(self, base, within, key, kinds, list);
    self->derived--;
    svd_node *holder = within ? own(node, within) : node;
    size_t inherited = list->count;
    for (svd_node *child = holder ? holder->first : NULL; child && goes_on(self, child);
         child = child->next) {
        if (!is(child, kinds[0]) && !(kinds[1] && is(child, kinds[1]))) continue;
        size_t same = 0;
        while (same < inherited && !oak_same(own_text(list->nodes[same], key), own_text(child, key))) {
            if (!goes_on(self, child)) return;
            same++;
        }
        if (same < inherited) list->nodes[same] = child;
        else if (!add_node(self, list, child)) return;
    }
}

static void release(svd_reader *self, svd_list *list)
{
    oak_release(self->import->host, list->nodes, list->room, sizeof *list->nodes);
    *list = (svd_list){0};
}

/* ------------------------------------------------------------------------------------------ what elements say */

/* 12, 0x1f, #1010, 4k */
static bool read_number(const char *text, uint64_t *value)
{
    if (*text == '+') text++;
    if (*text == '#') {
        for (*value = 0, text++; *text == '0' || *text == '1'; text++) *value = *value << 1 | (*text == '1');
        return !*text && text[-1] != '#';
    }
    size_t used = 0, length = strlen(text);
    unsigned shift = 0;
    bool hex = text[0] == '0' && (text[1] == 'x' || text[1] == 'X');
    if (length > 1 && !oak_is_digit(text[length - 1]) && !hex) {
        static const char letters[] = "kmgt";
        const char *letter = strchr(letters, oak_lower(text[length - 1]));
        if (!letter) return false;
        shift = 10 * (unsigned)(letter - letters + 1);
        length--;
    }
    if (!oak_is_digit(text[0]) || oak_read_number(text, text + length, value, &used) || used != length)
        return false;
    *value <<= shift;
    return true;
}

/* The number that a member holds; what it is otherwise, when there is none. */
static uint64_t number_of(svd_reader *self, svd_node *node, const char *name, uint64_t otherwise,
                          uint64_t most)
{
    svd_node *child = member(self, node, name);
    uint64_t value = 0;
    if (!child) return otherwise;
    if (!read_number(child->text, &value))
        REFUSE_TEXT(self, child, "Write it like 12, 0x1f or #1010.", "<%s>: `%s` is no number", name,
                    child->text);
    else if (value > most)
        REFUSE_TEXT(self, child, NULL, "<%s>: %s is more than %llu", name, child->text,
                    (unsigned long long)most);
    else return value;
    return otherwise;
}

static oak_part_access access_of(svd_reader *self, svd_node *node, oak_part_access otherwise)
{
    svd_node *child = member(self, node, "access");
    const char *word = child ? child->text : "";
    if (!child) return otherwise;
    if (oak_same(word, "read-only")) return OAK_READ_ONLY;
    if (oak_same(word, "write-only") || oak_same(word, "writeOnce")) return OAK_WRITE_ONLY;
    if (!oak_same(word, "read-write") && !oak_same(word, "read-writeOnce"))
        REFUSE_TEXT(self, child, "read-only, write-only, read-write, writeOnce, read-writeOnce",
                    "`%s` is no access", word);
    return OAK_READ_WRITE;
}

/* One is only read, the other one only written: they may lie in the same bits. */
static bool are_apart(oak_part_access one, oak_part_access other)
{
    return one != OAK_READ_WRITE && other != OAK_READ_WRITE && one != other;
}

static svd_values values_of(svd_reader *self, svd_node *node, svd_values outer)
{
    svd_values values = {.size = number_of(self, node, "size", outer.size, 1024),
                         .reset = number_of(self, node, "resetValue", outer.reset, UINT64_MAX),
                         .mask = number_of(self, node, "resetMask", outer.mask, UINT64_MAX),
                         .access = access_of(self, node, outer.access),
                         .alternate = outer.alternate || member(self, node, "alternatePeripheral") ||
                                      member(self, node, "alternateCluster") ||
                                      member(self, node, "alternateRegister") ||
                                      member(self, node, "alternateGroup")};
    return values;
}

/* The name of an element; NULL, and told, when it has none or one that no program could say. */
static const char *name_of(svd_reader *self, svd_node *node)
{
    const svd_node *name = own(node, "name"); /* never inherited: two of one name would be there */
    if (!name || !*name->text) {
        REFUSE(self, node, NULL, "a <%s> without a <name>", node->name);
        return NULL;
    }
    const char *mark = strstr(name->text, "%s");
    for (const char *at = name->text; *at; at++) {
        if (at == mark) at++;
        else if (!oak_is_word(*at) &&
                 !(mark && (at + 1 == mark || at == mark + 2) && (*at == '[' || *at == ']'))) {
            REFUSE_TEXT(self, name, "Letters, digits and _, and %s where a number is put.",
                        "`%s` cannot be the name of a %s", name->text, node->name);
            return NULL;
        }
    }
    return name->text;
}

/* Whether an element is there several times: what its `dim`, `dimIncrement` and `dimIndex` say fits together. */
static bool copies_of(svd_reader *self, svd_node *node, const char *name, svd_copies *copies)
{
    bool marked = strstr(name, "%s") != NULL;
    *copies = (svd_copies){.count = 1};
    /* One that is derived from several is one of them, unless its name has a place for the number, too. */
    svd_node *dim = marked ? member(self, node, "dim") : own(node, "dim");
    if (!dim) {
        if (marked)
            REFUSE_TEXT(self, own(node, "name"), "Say how many there are: <dim>4</dim>.",
                        "`%s` has a %%s, and no <dim>", name);
        return !marked;
    }
    unsigned wrong = self->wrong;
    copies->count = number_of(self, node, "dim", 1, MOST_COPIES);
    copies->step = number_of(self, node, "dimIncrement", 0, UINT32_MAX);
    copies->index = own(node, "dim") ? own(node, "dimIndex") : member(self, node, "dimIndex");
    if (self->wrong != wrong) return false;
    if (!copies->count) REFUSE_TEXT(self, dim, NULL, "<dim>: there are 0 of `%s`", name);
    else if (!marked && copies->count > 1)
        REFUSE_TEXT(self, own(node, "name"), "Give the name a %s: there the number is put.",
                    "all %llu of `%s` would have this name", (unsigned long long)copies->count, name);
    else if (!member(self, node, "dimIncrement") && copies->count > 1)
        REFUSE(self, dim, "<dimIncrement> is the way from one to the next, in bytes; of fields in bits.",
               "`%s` has a <dim>, and no <dimIncrement>", name);
    else if (copies->index && words_of(copies->index) != copies->count)
        REFUSE_TEXT(self, copies->index,
                    "Write as many words as there are, with commas between, or a range: 0-3, A-D.",
                    "<dimIndex> has %llu words, <dim> says %llu", (unsigned long long)words_of(copies->index),
                    (unsigned long long)copies->count);
    return self->wrong == wrong;
}

static const char *keep_text(svd_reader *self, const char *text)
{
    const char *kept = oak_arena_text(self->import->arena, text, strlen(text));
    if (!kept) self->status = OAK_NO_MEMORY;
    return kept;
}

/* A description, with a %s in it filled in. */
static const char *title_of(svd_reader *self, svd_node *node, const char *word)
{
    svd_node *child = member(self, node, "description");
    const char *text = child ? child->text : "", *mark = strstr(text, "%s");
    char whole[440];
    oak_format(whole, sizeof whole, mark ? "%.*s%s%s" : "%.*s", (int)(mark ? mark - text : 400), text, word,
               mark ? mark + 2 : "");
    return keep_text(self, whole);
}

/* ------------------------------------------------------------------------------------------ values and fields */

/* What a value means, once for each that a pattern like #1x0 stands for. A value that has a meaning keeps it. */
static unsigned add_meaning(svd_reader *self, svd_node *value, unsigned count)
{
    const char *text = value->text, *name = own_text(value->parent, "name");
    uint64_t bits = 0, any = 0;
    if (*text == '#' || (text[0] == '0' && (text[1] == 'b' || text[1] == 'B'))) {
        const char *at = text + (*text == '#' ? 1 : 2);
        bool some = *at;
        for (; *at == '0' || *at == '1' || *at == 'x' || *at == 'X'; at++) {
            bits = bits << 1 | (*at == '1');
            any = any << 1 | (*at == 'x' || *at == 'X');
        }
        if (*at || !some) {
            REFUSE_TEXT(self, value, "Write it like 2, 0x2, #10 or #1x.", "<value>: `%s` is no number", text);
            return count;
        }
    } else if (!read_number(text, &bits)) {
        REFUSE_TEXT(self, value, "Write it like 2, 0x2, #10 or #1x.", "<value>: `%s` is no number", text);
        return count;
    }
    if ((bits | any) > UINT32_MAX) {
        REFUSE_TEXT(self, value, NULL, "<value>: `%s` does not fit a field", text);
        return count;
    }
    const char *kept = keep_text(self, name);
    /* Every part of the bits that may be anything, from none of them on. */
    for (uint64_t part = 0; kept && goes_on(self, value); part = (part - any) & any) {
        bool taken = false;
        for (unsigned i = 0; i < count && !taken; i++) taken = self->values[i].value == (bits | part);
        if (!taken && count == MOST_VALUES) {
            REFUSE_TEXT(self, value, NULL, "more than %u values of a field have a meaning", MOST_VALUES);
            break;
        }
        if (!taken) self->values[count++] = (oak_part_value){kept, (uint32_t)(bits | part)};
        if (part == any) break;
    }
    return count;
}

/* What is read comes before what is written. */
static void read_meanings(svd_reader *self, svd_node *node, oak_part_field *field)
{
    static const char *const lists[] = {"enumeratedValues", NULL}, *const values[] = {"enumeratedValue",
                                                                                      NULL};
    svd_list all = {0};
    unsigned count = 0;
    gather(self, node, NULL, "usage", lists, &all);
    for (size_t pass = 0; pass < 2 * all.count; pass++) {
        svd_node *list = all.nodes[pass % all.count], *usage = member(self, list, "usage");
        svd_list each = {0};
        if ((usage && oak_same(usage->text, "write")) != (pass >= all.count)) continue;
        gather(self, list, NULL, "name", values, &each);
        for (size_t i = 0; i < each.count && goes_on(self, list); i++) {
            svd_node *value = own(each.nodes[i], "value");
            const char *other = own_text(each.nodes[i], "isDefault");
            if (!*own_text(each.nodes[i], "name"))
                REFUSE(self, each.nodes[i], NULL, "an <enumeratedValue> without a <name>");
            else if (value) count = add_meaning(self, value, count);
            else if (!oak_same(other, "true") && !oak_same(other, "1"))
                REFUSE(self, each.nodes[i], "<isDefault>true</isDefault> stands for all others.",
                       "`%s` has no <value>", own_text(each.nodes[i], "name"));
            else if (!field->otherwise) field->otherwise = keep_text(self, own_text(each.nodes[i], "name"));
        }
        release(self, &each);
    }
    release(self, &all);
    oak_part_value *kept = oak_arena_take(self->import->arena, (count ? count : 1) * sizeof *kept);
    if (!kept) {
        self->status = OAK_NO_MEMORY;
        return;
    }
    if (count) memcpy(kept, self->values, count * sizeof *kept);
    field->values = kept;
    field->value_count = count;
}

/* Where a field lies, in any of the three spellings; of those, what it says itself counts before what it is derived from says. */
static bool place_of(svd_reader *self, svd_node *node, uint64_t *low, uint64_t *high)
{
    unsigned wrong = self->wrong;
    for (svd_node *at = node; at && goes_on(self, node); at = base_of(self, at)) {
        svd_node *range = own(at, "bitRange"), *low_node = own(at, "lsb"), *high_node = own(at, "msb"),
                 *offset = own(at, "bitOffset");
        if (range) {
            char *end = NULL;
            const char *text = range->text;
            *high = *text == '[' && oak_is_digit(text[1]) ? strtoull(text + 1, &end, 10) : 0;
            char *second = end && *end == ':' && oak_is_digit(end[1]) ? end + 1 : NULL;
            *low = second ? strtoull(second, &end, 10) : 0;
            if (!second || *end != ']' || end[1]) {
                REFUSE_TEXT(self, range, "Write it like [7:4].", "<bitRange>: `%s` is no range of bits",
                            text);
                return false;
            }
            low_node = range;
        } else if (low_node || high_node) {
            *low = number_of(self, at, "lsb", 0, UINT32_MAX);
            *high = number_of(self, at, "msb", 0, UINT32_MAX);
            if (!low_node || !high_node)
                REFUSE(self, at, NULL, "a <%s> without %s", low_node ? "lsb" : "msb",
                       low_node ? "an <msb>" : "a <lsb>");
        } else if (offset) {
            svd_node *width = member(self, node, "bitWidth");
            *low = number_of(self, at, "bitOffset", 0, UINT32_MAX);
            *high = *low + number_of(self, node, "bitWidth", 1, UINT32_MAX) - 1;
            if (width && *high + 1 == *low) {
                REFUSE_TEXT(self, width, NULL, "a field of 0 bits");
                return false;
            }
            return self->wrong == wrong;
        } else continue;
        if (self->wrong == wrong && *high < *low)
            REFUSE_TEXT(self, low_node, "The highest bit comes first in a <bitRange>, and is the <msb>.",
                        "the bits from %llu down to %llu are none", (unsigned long long)*high,
                        (unsigned long long)*low);
        return self->wrong == wrong;
    }
    if (!self->status && (!node->derived || node->base))
        REFUSE(self, node, "<bitOffset> and <bitWidth>, <lsb> and <msb>, or <bitRange>[7:4]</bitRange>",
               "the field does not say which bits it has");
    return false;
}

static void add_field(svd_reader *self, svd_node *node, const svd_values *values, const svd_node **nodes,
                      oak_part_field *fields, unsigned *count)
{
    const char *name = name_of(self, node);
    svd_copies copies;
    uint64_t low, high;
    oak_part_field field = {.access = access_of(self, node, values->access)};
    if (!name || !copies_of(self, node, name, &copies) || !place_of(self, node, &low, &high)) return;
    read_meanings(self, node, &field);
    for (uint64_t i = 0; i < copies.count && goes_on(self, node); i++) {
        char word[24], whole[200];
        uint64_t from = low + i * copies.step, to = high + i * copies.step;
        word_of_copy(copies.index, i, word, sizeof word);
        name_copy(name, word, whole, sizeof whole);
        if (to >= values->size) {
            REFUSE(self, node, NULL, "bits %llu to %llu of field `%s`: the register has %llu",
                   (unsigned long long)from, (unsigned long long)to, whole, (unsigned long long)values->size);
            return;
        }
        if (*count == MOST_FIELDS) {
            REFUSE(self, node, NULL, "a register has at most %u fields", MOST_FIELDS);
            return;
        }
        for (unsigned f = 0; f < *count; f++) {
            const oak_part_field *other = &fields[f];
            bool shared = from < other->bit + (uint64_t)other->width && other->bit <= to,
                 /* one that is read and one that is written may share what they lie in */
                apart = are_apart(field.access, other->access);
            if (oak_same_name(whole, strlen(whole), other->name))
                REFUSE(self, node, NULL, "two fields are called `%s`; the other one is in line %u", whole,
                       (unsigned)nodes[f]->line);
            else if (shared && !apart)
                REFUSE(self, node,
                       "Bits may be shared by one field that is read-only and one that is write-only.",
                       "fields `%s` (line %u) and `%s` share bits", other->name, (unsigned)nodes[f]->line,
                       whole);
            else continue;
            return;
        }
        field.name = keep_text(self, whole);
        field.title = title_of(self, node, word);
        field.bit = (uint8_t)from;
        field.width = (uint8_t)(to - from + 1);
        if (self->status) return;
        unsigned at = (*count)++;
        for (; at && fields[at - 1].bit < field.bit; at--)
            fields[at] = fields[at - 1], nodes[at] = nodes[at - 1];
        fields[at] = field;
        nodes[at] = node;
    }
}

/* ------------------------------------------------------------------------------------------ registers */

static void keep_register(svd_reader *self, const svd_node *node, const oak_part_register *reg,
                          bool alternate)
{
    if (self->found_count == MOST_REGISTERS) {
        REFUSE(self, node, NULL, "there are more than %u registers", MOST_REGISTERS);
        self->status = OAK_REFUSED;
        return;
    }
    svd_found *grown =
        oak_grow(self->import->host, self->found, &self->found_room, self->found_count + 1, sizeof *grown);
    if (!grown) {
        self->status = OAK_NO_MEMORY;
        return;
    }
    self->found = grown;
    grown[self->found_count++] = (svd_found){*reg, node, alternate};
}

static bool offset_of(svd_reader *self, svd_node *node, const char *name, uint64_t *offset)
{
    if (!member(self, node, "addressOffset")) {
        if (!node->derived || node->base) /* else that has been told */
            REFUSE(self, node, NULL, "%s `%s` has no <addressOffset>", node->name, name);
        return false;
    }
    *offset = number_of(self, node, "addressOffset", 0, UINT32_MAX);
    return true;
}

static void add_register(svd_reader *self, svd_node *node, const char *before, const char *behind,
                         uint64_t address, const svd_values *outer)
{
    static const char *const kinds[] = {"field", NULL};
    svd_values values = values_of(self, node, *outer);
    const char *name = name_of(self, node);
    oak_part_field fields[MOST_FIELDS];
    const svd_node *nodes[MOST_FIELDS];
    unsigned count = 0;
    uint64_t offset;
    svd_copies copies;
    if (!name || !copies_of(self, node, name, &copies) || !offset_of(self, node, name, &offset)) return;
    if (values.size != 8 && values.size != 16 && values.size != 32) { /* no access reaches it as a whole */
        if (!self->wide++) self->first_wide = node;
        return;
    }
    svd_list list = {0};
    gather(self, node, "fields", "name", kinds, &list);
    for (size_t i = 0; i < list.count && goes_on(self, node); i++)
        add_field(self, list.nodes[i], &values, nodes, fields, &count);
    release(self, &list);
    oak_part_field *kept = oak_arena_take(self->import->arena, (count ? count : 1) * sizeof *kept);
    if (!kept) {
        self->status = OAK_NO_MEMORY;
        return;
    }
    if (count) memcpy(kept, fields, count * sizeof *kept);
    uint64_t all = values.size == 32 ? UINT32_MAX : ((uint64_t)1 << values.size) - 1;
    for (uint64_t i = 0; i < copies.count && goes_on(self, node); i++) {
        char word[24], copy[200], whole[700];
        word_of_copy(copies.index, i, word, sizeof word);
        name_copy(name, word, copy, sizeof copy);
        oak_format(whole, sizeof whole, "%s%s%s", before, copy, behind);
        uint64_t at = address + offset + i * copies.step;
        if (at > UINT32_MAX || at + values.size / 8 - 1 > UINT32_MAX) {
            REFUSE(self, node, NULL, "register `%s` lies behind the last address", whole);
            return;
        }
        oak_part_register reg = {.name = keep_text(self, whole),
                                 .bits = (uint8_t)values.size,
                                 .address = (uint32_t)at,
                                 .reset = (uint32_t)(values.reset & values.mask & all),
                                 .access = values.access,
                                 .title = title_of(self, node, word),
                                 .fields = kept,
                                 .field_count = count};
        if (!self->status) keep_register(self, node, &reg, values.alternate);
    }
}

static void add_all(svd_reader *self, svd_node *node, const char *within, const char *before,
                    const char *behind, uint64_t address, const svd_values *outer, unsigned depth);

static void add_cluster(svd_reader *self, svd_node *node, const char *before, const char *behind,
                        uint64_t address, const svd_values *outer, unsigned depth)
{
    svd_values values = values_of(self, node, *outer);
    const char *name = name_of(self, node);
    uint64_t offset;
    svd_copies copies;
    if (!name || !copies_of(self, node, name, &copies) || !offset_of(self, node, name, &offset)) return;
    if (depth == MOST_CLUSTERS) {
        REFUSE(self, node, NULL, "clusters are nested more than %u deep at `%s`", MOST_CLUSTERS, name);
        self->status = OAK_REFUSED;
        return;
    }
    for (uint64_t i = 0; i < copies.count && goes_on(self, node); i++) {
        char word[24], copy[200], whole[500];
        word_of_copy(copies.index, i, word, sizeof word);
        name_copy(name, word, copy, sizeof copy);
        oak_format(whole, sizeof whole, "%s%s_", before, copy);
        self->work += EACH_COPY;
        add_all(self, node, NULL, whole, behind, address + offset + i * copies.step, &values, depth + 1);
    }
}

static void add_all(svd_reader *self, svd_node *node, const char *within, const char *before,
                    const char *behind, uint64_t address, const svd_values *outer, unsigned depth)
{
    static const char *const kinds[] = {"register", "cluster"};
    svd_list list = {0};
    gather(self, node, within, "name", kinds, &list);
    for (size_t i = 0; i < list.count && goes_on(self, node); i++) {
        if (list.nodes[i]->kind == SVD_CLUSTER)
            add_cluster(self, list.nodes[i], before, behind, address, outer, depth);
        else add_register(self, list.nodes[i], before, behind, address, outer);
    }
    release(self, &list);
}

static void add_interrupts(svd_reader *self, svd_node *node, svd_list *interrupts)
{
    for (svd_node *child = node->first; child && goes_on(self, child); child = child->next) {
        if (!is(child, "interrupt")) continue;
        if (!name_of(self, child)) continue;
        if (!own(child, "value"))
            REFUSE(self, child, NULL, "interrupt `%s` has no <value>", own_text(child, "name"));
        else add_node(self, interrupts, child);
    }
}

static void add_peripheral(svd_reader *self, svd_node *node, const svd_values *device, svd_list *interrupts)
{
    const char *name = name_of(self, node);
    svd_values values = values_of(self, node, *device);
    svd_copies copies;
    if (!name || !copies_of(self, node, name, &copies)) return;
    for (const svd_node *other = node->parent->first; other != node; other = other->next)
        if (oak_same(own_text(other, "name"), name)) {
            REFUSE_TEXT(self, own(node, "name"), NULL,
                        "two peripherals are called `%s`; the other one is in line %u", name,
                        (unsigned)other->line);
            return;
        }
    if (oak_is_digit(*name)) {
        REFUSE_TEXT(self, own(node, "name"), NULL,
                    "the name of a peripheral begins with a letter, not as `%s`", name);
        return;
    }
    if (!own(node, "baseAddress")) {
        REFUSE(self, node, "Each has its own, also one that is derived from another.",
               "peripheral `%s` has no <baseAddress>", name);
        return;
    }
    uint64_t base = number_of(self, node, "baseAddress", 0, UINT32_MAX);
    svd_node *prepend = member(self, node, "prependToName"), *append = member(self, node, "appendToName");
    for (uint64_t i = 0; i < copies.count && goes_on(self, node); i++) {
        char word[24], copy[200], before[320];
        word_of_copy(copies.index, i, word, sizeof word);
        name_copy(name, word, copy, sizeof copy);
        oak_format(before, sizeof before, "%s_%s", copy, prepend ? prepend->text : "");
        add_all(self, node, "registers", before, append ? append->text : "", base + i * copies.step, &values,
                0);
    }
    add_interrupts(self, node, interrupts);
}

/* ------------------------------------------------------------------------------------------ what fits together */

/* Programs do not tell letters of either case apart. */
static int by_name(const void *a, const void *b)
{
    const char *one = ((const svd_found *)a)->reg.name, *other = ((const svd_found *)b)->reg.name;
    for (; *one && oak_lower(*one) == oak_lower(*other); one++) other++;
    return oak_lower(*one) - oak_lower(*other);
}

static int by_place(const void *a, const void *b)
{
    const svd_found *one = a, *other = b;
    if (one->reg.address != other->reg.address) return one->reg.address < other->reg.address ? -1 : 1;
    if (one->alternate != other->alternate) return one->alternate ? 1 : -1;
    return one->node->line != other->node->line ? (one->node->line < other->node->line ? -1 : 1)
                                                : by_name(a, b);
}

/* Two of one name, two at one address. Another view of an address is left out, and so is what is only written where something else is
 * only read. */
static void check_registers(svd_reader *self)
{
    size_t kept = 0;
    uint64_t end = 0; /* behind the registers so far */
    if (!self->found_count) return;
    qsort(self->found, self->found_count, sizeof *self->found, by_name);
    for (size_t i = 1; i < self->found_count; i++) {
        const svd_found *one = &self->found[i - 1], *other = &self->found[i];
        if (by_name(one, other) != 0) continue;
        if (one->node->line > other->node->line) other = one, one = &self->found[i];
        REFUSE(self, other->node, NULL, "two registers are called `%s`; the other one is in line %u",
               other->reg.name, (unsigned)one->node->line);
    }
    qsort(self->found, self->found_count, sizeof *self->found, by_place);
    for (size_t i = 0; i < self->found_count; i++) {
        const svd_found *one = &self->found[i], *last = kept ? &self->found[kept - 1] : NULL;
        if (last && one->reg.address < end) {
            bool apart = are_apart(one->reg.access, last->reg.access);
            if (one->alternate || last->alternate || apart) {
                if (!self->views++) self->first_view = one->node;
                continue;
            }
            if (one->node->line < last->node->line) last = one, one = &self->found[kept - 1];
            REFUSE(self, one->node,
                   "Another view of the same says so: <alternateRegister>, or is read-only where the other "
                   "one is write-only.",
                   "register `%s` (line %u) and `%s` are both at 0x%08x", last->reg.name,
                   (unsigned)last->node->line, one->reg.name,
                   (unsigned)(one->reg.address > last->reg.address ? one->reg.address : last->reg.address));
            continue;
        }
        end = (uint64_t)one->reg.address + one->reg.bits / 8;
        self->found[kept++] = *one;
    }
    self->found_count = kept;
}

static void check_interrupts(svd_reader *self, const svd_list *list)
{
    oak_part_import *import = self->import;
    svd_interrupt *all = oak_arena_take(import->arena, (list->count ? list->count : 1) * sizeof *all);
    size_t count = 0;
    if (!all) {
        self->status = OAK_NO_MEMORY;
        return;
    }
    for (size_t i = 0; i < list->count && goes_on(self, list->nodes[i]); i++) {
        svd_node *node = list->nodes[i];
        svd_interrupt one = {.name = own_text(node, "name"), .line = node->line, .column = node->column};
        one.number = (uint32_t)number_of(self, node, "value", 0, 65535);
        size_t same = 0;
        while (same < count && all[same].number != one.number && !oak_same(all[same].name, one.name)) {
            if (!goes_on(self, node)) return;
            same++;
        }
        if (same < count) { /* several devices may share one, and each says so */
            if (all[same].number == one.number && oak_same(all[same].name, one.name)) continue;
            REFUSE(self, node, "One that several share has one name and one number.",
                   "interrupts `%s` (line %u) and `%s` have the numbers %u and %u", all[same].name,
                   (unsigned)all[same].line, one.name, (unsigned)all[same].number, (unsigned)one.number);
            continue;
        }
        one.name = keep_text(self, one.name);
        one.title = keep_text(self, own_text(node, "description"));
        size_t at = count++;
        for (; at && all[at - 1].number > one.number; at--) all[at] = all[at - 1];
        all[at] = one;
    }
    import->interrupts = all;
    import->interrupt_count = count;
}

static void tell_what_is_left_out(const svd_reader *self)
{
    if (self->wide)
        REMARK(self, self->first_wide, "%u register%s neither 8, 16 nor 32 bits wide, from here on: left out",
               self->wide, self->wide == 1 ? " is" : "s are");
    if (self->views)
        REMARK(self, self->first_view, "%u register%s another view of an address, from here on: left out",
               self->views, self->views == 1 ? " is" : "s are");
}

static void read_device(svd_reader *self)
{
    svd_node *device = self->root, *peripherals = own(device, "peripherals"), *cpu = own(device, "cpu");
    const char *names[MOST_UNKNOWN];
    svd_list interrupts = {0};
    if (!is(device, "device")) {
        REFUSE(self, device, "A register description (CMSIS-SVD) begins with <device>.",
               "this is no register description: it begins with <%s>", device->name);
        return;
    }
    note_unknown(self, device, names);
    if (number_of(self, device, "addressUnitBits", 8, 1024) != 8)
        REFUSE_TEXT(self, own(device, "addressUnitBits"), NULL, "only addresses that count bytes are read");
    svd_values values =
        values_of(self, device, (svd_values){.size = 32, .mask = UINT64_MAX, .access = OAK_READ_WRITE});
    for (svd_node *node = peripherals ? peripherals->first : NULL; node && goes_on(self, node);
         node = node->next)
        if (is(node, "peripheral")) add_peripheral(self, node, &values, &interrupts);
    if (cpu) self->import->priority_bits = (unsigned)number_of(self, cpu, "nvicPrioBits", 0, 8);
    check_registers(self);
    check_interrupts(self, &interrupts);
    if (!self->found_count && !self->wrong)
        REFUSE(self, device, NULL, "%s describes no registers", self->path);
    release(self, &interrupts);
    if (!self->wrong && !self->status) tell_what_is_left_out(self);
}

oak_status oak_part_read_svd(oak_part_import *import, const char *path)
{
    oak_arena arena;
    oak_arena_open(&arena, import->host);
    svd_reader *self = oak_arena_zero(&arena, sizeof *self);
    oak_status status = OAK_NO_MEMORY;
    if (self) {
        self->import = import;
        self->path = path;
        status = svd_read_tree(import->host, &arena, import->sink, path, &self->root);
        if (!status) {
            read_device(self);
            status = self->status ? self->status : self->wrong ? OAK_REFUSED : OAK_OK;
        }
        for (size_t i = 0; i < self->found_count && !status; i++) {
            oak_part_register *grown =
                oak_grow(import->host, import->registers, &import->room, import->count + 1, sizeof *grown);
            if (!grown) status = OAK_NO_MEMORY;
            else import->registers = grown, grown[import->count++] = self->found[i].reg;
        }
        oak_release(import->host, self->found, self->found_room, sizeof *self->found);
    }
    oak_arena_close(&arena);
    return status;
}
